/** What standing orders work with. */
import type { Engine } from '../../engine/engine.ts';
import type { Db } from '../../store/db.ts';
import type { Events } from '../events.ts';
import type { Jobs } from '../jobs.ts';
import type { Ledger } from '../ledger.ts';
import type { Mail } from '../messages/mail.ts';
import type { Outbox } from '../messages/outbox.ts';
import type { Plans } from '../plans/plans.ts';
import type { Present } from '../present.ts';
import type { Secrets } from '../secrets.ts';
import type { Surveys } from '../survey/surveys.ts';

export interface OrderParts {
  db: Db;
  ledger: Ledger;
  engine: {
    ask: Pick<
      Engine['ask'],
      | 'orderFits'
      | 'orderSubjects'
      | 'recipients'
      | 'recipientsOfEach'
      | 'stillSo'
      | 'thingFacts'
      | 'thingFits'
      | 'respond'
      | 'channels'
      | 'spacesToAsk'
      | 'thingsToAsk'
      | 'whoIsAsked'
      | 'managersOf'
      | 'peopleNamed'
      | 'lostBy'
      | 'stillThere'
      | 'recharter'
      | 'spacesShown'
      | 'spacesOfKeys'
      | 'spaceActivity'
    >;
  };
  jobs: Jobs;
  events: Events;
  surveys: Pick<Surveys, 'start' | 'live'>;
  present: Pick<Present, 'survey' | 'subscribe'>;
  plans: Pick<Plans, 'drafts' | 'runner'>;
  outbox: Outbox;
  mail: Pick<Mail, 'site' | 'ready'>;
  secrets: Pick<Secrets, 'keyFor'>;
  clock: () => Date;
}
