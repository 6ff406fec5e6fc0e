/** What every part of plans works with. */
import type { Db } from '../../store/db.ts';
import type { Engine } from '../../engine/engine.ts';
import type { Events } from '../events.ts';
import type { Jobs } from '../jobs.ts';
import type { Ledger } from '../ledger.ts';
import type { Present } from '../present.ts';
import type { Surveys } from '../survey/surveys.ts';
import type { Tray } from '../tray.ts';

export interface PlanParts {
  db: Db;
  ledger: Ledger;
  engine: { ask: Pick<Engine['ask'], 'preview' | 'prove' | 'cameBack' | 'quarantined'> };
  surveys: Pick<Surveys, 'readBack' | 'sourcesWithTokens' | 'localSources'>;
  present: Pick<Present, 'toNewest' | 'survey'>;
  tray: Pick<Tray, 'forPlan'>;
  events: Pick<Events, 'emit'>;
  jobs: Pick<Jobs, 'declare' | 'add' | 'drop' | 'look'>;
  clock: () => Date;
}
