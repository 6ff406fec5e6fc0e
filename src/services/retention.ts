/** How long surveys, and runs with their messages, are kept. What is dropped is said on the ledger; points over time stay. */
import type { Db } from '../store/db.ts';
import { readSetting, writeSetting } from '../store/settings.ts';
import type { Ledger } from './ledger.ts';

const SETTING = 'retention';
/** What is new is said against the survey before, so two are always kept. */
const ALWAYS = 2;

export interface RetentionSettings {
  /** Surveys older than so many days are dropped; null to keep all. */
  surveyDays: number | null;
  /** Runs of standing orders that were over before, with their questions, and messages made before; null to keep all. */
  runDays: number | null;
}
const DAY = 86_400_000;

export class Retention {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly engine: { ask: { forget(before: number): Promise<unknown> } },
    private readonly clock: () => Date,
  ) {}

  async state(): Promise<RetentionSettings> {
    return {
      surveyDays: null,
      runDays: null,
      ...(await readSetting<Partial<RetentionSettings>>(this.db, SETTING)),
    };
  }

  /** Sets it, and drops what is older at once. */
  async set(settings: RetentionSettings, by: string): Promise<{ dropped: number }> {
    const before = await this.state();
    await this.db.transaction(async (tx) => {
      await writeSetting(tx, SETTING, settings);
      await this.ledger.add(
        { who: by, what: 'retention.set', subject: 'retention', before, after: settings },
        tx,
      );
    });
    return this.drop();
  }

  /** Drops what is older than is wanted: surveys with every version of a row that only they saw; runs, and messages. */
  async drop(): Promise<{ dropped: number }> {
    const { surveyDays, runDays } = await this.state();
    if (runDays !== null) await this.dropRuns(runDays);
    return { dropped: surveyDays === null ? 0 : await this.dropSurveys(surveyDays) };
  }

  private async dropRuns(days: number): Promise<void> {
    const since = new Date(this.clock().getTime() - days * DAY);
    await this.db.transaction(async (tx) => {
      const runs = (
        await tx.query<{ id: number }>('select id from order_run where ended_at < $1', [since])
      ).map((r) => r.id);
      await tx.query('update sharing_suspended set run = null where run = any($1)', [runs]);
      await tx.query('delete from question where run = any($1)', [runs]);
      await tx.query('delete from order_run where id = any($1)', [runs]);
      const messages = await tx.query(
        "delete from message where made_at < $1 and state in ('sent', 'failed', 'dropped') returning id",
        [since],
      );
      if (!runs.length && !messages.length) return;
      await this.ledger.add(
        {
          who: 'system',
          what: 'runs.dropped',
          subject: 'runs and messages',
          after: { runs: runs.length, messages: messages.length, keptFor: days },
        },
        tx,
      );
    });
  }

  private async dropSurveys(surveyDays: number): Promise<number> {
    const since = new Date(this.clock().getTime() - surveyDays * DAY);
    return this.db.transaction(async (tx) => {
      const [first] = await tx.query<{ id: number | null }>(
        `select least(
           (select min(id) from survey where state = 'done' and taken_at >= $1),
           (select min(id) from (select id from survey where state = 'done' order by id desc limit $2) newest))::int as id`,
        [since, ALWAYS],
      );
      if (!first?.id) return 0;
      const gone = await tx.query<{ id: number }>(
        "update survey set state = 'dropped' where state = 'done' and id < $1 returning id",
        [first.id],
      );
      if (!gone.length) return 0;
      const [rows] = await tx.query<{ n: number }>(
        'with d as (delete from observed where valid_to <= $1 returning 1) select count(*)::int as n from d',
        [first.id],
      );
      await this.ledger.add(
        {
          who: 'system',
          what: 'surveys.dropped',
          subject: gone.length === 1 ? `survey ${gone[0]!.id}` : `${gone.length} surveys`,
          after: { surveys: gone.map((g) => g.id).sort((a, b) => a - b), rows: rows!.n, keptFor: surveyDays },
        },
        tx,
      );
      await this.engine.ask.forget(first.id);
      return gone.length;
    });
  }
}
