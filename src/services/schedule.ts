/** What runs by itself, and when: surveys in a rhythm, and everything else that waits for its time. */
import { CURRENT_ORDERS } from './orders/rows.ts';
import { nextOf } from '../core/guard/rhythm.ts';
import type { ScheduleSettings } from '../core/dates.ts';
import type { Waits } from '../dto/jobs.ts';
import type { Db } from '../store/db.ts';
import { readSchedule, writeSetting } from '../store/settings.ts';
import type { Jobs } from './jobs.ts';
import type { Ledger } from './ledger.ts';
import { log } from './log.ts';
import { BY_ITSELF, CURRENT } from './policies/rows.ts';
import type { Surveys } from './survey/surveys.ts';

const KIND = 'survey-rhythm';
const SURVEYS = ['full', 'incremental'] as const;

/** What else has a rhythm: its job, those that there are, and where the rhythm stands. */
const RHYTHMS = [
  ['policy', CURRENT, "c.doc->>'rhythm'"],
  ['order', CURRENT_ORDERS, "c.doc->'when'->>'rhythm'"],
] as const;

export class Schedule {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly jobs: Jobs,
    surveys: Pick<Surveys, 'start'>,
    private readonly clock: () => Date,
  ) {
    jobs.declare(KIND, {
      broken: 'again',
      quiet: true,
      run: async ({ subject }) => {
        const kind = SURVEYS[subject]!;
        // one that is running already is as good
        await surveys
          .start(BY_ITSELF, kind)
          .catch((e: unknown) => log.warn({ err: e, kind }, 'a survey did not begin in its rhythm'));
        const settings = await this.settings();
        const rhythm = settings[kind];
        return { state: 'done', next: rhythm ? nextOf(rhythm, clock(), settings.zone) : undefined };
      },
    });
  }

  settings(): Promise<ScheduleSettings> {
    return readSchedule(this.db);
  }

  /** Sets when surveys are made, and by which clock everything in a rhythm goes. */
  async set(settings: ScheduleSettings, by: string): Promise<void> {
    const now = this.clock();
    await this.db.transaction(async (tx) => {
      const before = await readSchedule(tx);
      await writeSetting(tx, 'schedule', settings);
      await this.ledger.add(
        { who: by, what: 'schedule.set', subject: 'schedule', before, after: settings },
        tx,
      );
      for (const [subject, kind] of SURVEYS.entries()) {
        const next = settings[kind] && nextOf(settings[kind], now, settings.zone);
        if (next) await this.jobs.add(tx, KIND, subject, BY_ITSELF, next);
        else await this.jobs.drop(tx, KIND, subject);
      }
      if (before.zone === settings.zone) return;
      for (const [kind, current, rhythm] of RHYTHMS) {
        const rows = await tx.query<{ id: number; rhythm: string }>(
          `select c.id, ${rhythm} as rhythm from (${current}) c join job j on j.kind = $2 and j.subject = c.id
           where j.state = 'waiting' and j.due > $1 and ${rhythm} is not null`,
          [now, kind],
        );
        for (const r of rows) {
          const next = nextOf(r.rhythm, now, settings.zone);
          if (next) await this.jobs.add(tx, kind, r.id, BY_ITSELF, next);
        }
      }
    });
    await this.jobs.look();
  }

  /** Everything that waits for its time, the next first. */
  async waiting(): Promise<Waits[]> {
    const rows = await this.db.query<{
      kind: string;
      subject: number;
      due: Date;
      started_by: string;
      name: string | null;
    }>(
      `select j.kind, j.subject, j.due, j.started_by,
         case j.kind when 'policy' then (select name from policy where id = j.subject)
           when 'order' then (select v.doc->>'name' from standing_order o join standing_order_version v
             on v.standing_order = o.id and v.version = o.version where o.id = j.subject)
           when 'plan' then (select name from plan where id = j.subject) end as name
       from job j where j.state = 'waiting' order by j.due, j.id limit 500`,
    );
    return rows.map((r) => ({
      kind: r.kind,
      subject: r.subject,
      due: r.due.toISOString(),
      by: r.started_by,
      name: r.name,
    }));
  }
}
