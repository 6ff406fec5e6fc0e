/** What happens at workspaces: the log of it, how it is told, and the signals in it. */
import { readSetting, writeSetting } from '../../store/settings.ts';
import type { Db } from '../../store/db.ts';
import type { Engine } from '../../engine/engine.ts';
import type { Events } from '../events.ts';
import type { Jobs } from '../jobs.ts';
import type { Ledger } from '../ledger.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import type { Secrets } from '../secrets.ts';
import type { Surveys } from '../survey/surveys.ts';
import { EventLog } from './log.ts';
import { Signals } from './signals.ts';
import { Telling } from './telling.ts';

const SETTING = 'event-days';
/** Days for which events are kept, where nobody has said. */
const KEPT_DAYS = 180;
const TIDYING = 'tidy-events';
const DAY = 86_400_000;

export class Happenings {
  readonly log: EventLog;
  readonly telling: Telling;
  readonly signals: Signals;
  /** Called when something has happened. */
  onNew: () => void = () => undefined;

  constructor(
    private readonly parts: {
      db: Db;
      ledger: Ledger;
      engine: { ask: Pick<Engine['ask'], 'placed' | 'reachWithout'> };
      secrets: Secrets;
      jobs: Jobs;
      events: Events;
      surveys: Pick<Surveys, 'workspaces'>;
      clock: () => Date;
    },
  ) {
    const { db, ledger, engine, secrets, jobs, events, surveys, clock } = parts;
    this.log = new EventLog(db, engine, clock);
    this.telling = new Telling(
      db,
      ledger,
      secrets,
      this.log,
      jobs,
      (signal) => surveys.workspaces(signal),
      clock,
    );
    this.signals = new Signals(db, ledger, engine, events, clock);
    this.log.onNew = () => {
      void this.signals.look();
      this.onNew();
    };
    jobs.declare(TIDYING, {
      broken: 'again',
      quiet: true,
      run: async () => {
        await this.log.drop(await this.keptDays());
        return { state: 'done', next: new Date(clock().getTime() + DAY) };
      },
    });
  }

  /** Takes up what was told and not looked at, and asks from now on. */
  async start(): Promise<void> {
    const { db, jobs } = this.parts;
    await this.telling.start();
    await jobs.add(db, TIDYING, 0, BY_ITSELF);
    void this.signals.look();
  }

  /** Days for which events are kept; those of signals are kept with them. */
  async keptDays(): Promise<number> {
    return (await readSetting<number>(this.parts.db, SETTING)) ?? KEPT_DAYS;
  }

  async keepFor(days: number, by: string): Promise<void> {
    const { db, ledger, jobs } = this.parts;
    const before = await this.keptDays();
    await db.transaction(async (tx) => {
      await writeSetting(tx, SETTING, days);
      await ledger.add({ who: by, what: 'events.kept-for', subject: 'events', before, after: days }, tx);
      await jobs.add(tx, TIDYING, 0, by);
    });
    await jobs.look();
  }

  async close(): Promise<void> {
    this.telling.close();
    await this.signals.close();
  }
}
