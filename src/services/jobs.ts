/**
 * Long work: what is to be done, when, how far it is, and what becomes of it when the application ends in between.
 * Each kind of job is declared once; jobs of one kind are done one after another.
 */
import type { JobState, JobStep } from '../dto/jobs.ts';
import type { Db } from '../store/db.ts';
import { saveSteps } from '../store/jobs.ts';
import type { Events } from './events.ts';
import { log } from './log.ts';

export interface Job {
  id: number;
  /** The number of the survey, plan … that it works on. */
  subject: number;
  by: string;
  /** Aborted when the job is cancelled. */
  signal: AbortSignal;
  /** Says how far it is. */
  tell: (steps: JobStep[]) => void;
}

interface JobKind {
  /** Does the work. What it throws fails the job, or makes it wait and begin again where it resumes. `next`: when it is due once more. */
  run(
    job: Job,
  ): Promise<{ state: 'done' | 'failed' | 'cancelled'; reason?: string; next?: Date | undefined } | void>;
  /**
   * After a crash: `again` where beginning anew does nothing twice; else what is to be said and taken back, in the
   * transaction that ends the job.
   */
  broken: 'again' | ((tx: Db, subject: number) => Promise<void>);
  /** Upkeep that nobody asked for: it is not told of, and of one that is due once more nothing is kept. */
  quiet?: true;
}

interface Row {
  id: number;
  kind: string;
  subject: number;
  started_by: string;
}

interface Running {
  row: Row;
  stop: AbortController;
  steps: JobStep[];
  /** Who asked for it once more while it ran. */
  again: { by: string; due?: Date } | undefined;
  ended: Promise<void>;
}

/** How long a job that an error stopped waits before it begins again, in milliseconds. */
const PAUSE = 15_000;
/** The longest that a timer is set for, in milliseconds: the clock may be moved meanwhile. */
const LONGEST = 60_000;

export class Jobs {
  private readonly kinds = new Map<string, JobKind>();
  private readonly running = new Map<string, Running>();
  private turn: Promise<unknown> = Promise.resolve();
  private timer: NodeJS.Timeout | undefined;
  private closed = false;

  constructor(
    private readonly db: Db,
    private readonly events: Pick<Events, 'emit'>,
    private readonly clock: () => Date,
  ) {}

  declare(kind: string, declared: JobKind): void {
    this.kinds.set(kind, declared);
  }

  /** Puts back on the list, or ends, what was running when the application ended. */
  async takeUp(): Promise<void> {
    const left = await this.db.query<Row>('select * from job where state = $1 order by id', ['running']);
    for (const row of left) {
      const { broken } = this.kinds.get(row.kind)!;
      await this.db.transaction(async (tx) => {
        if (broken === 'again') await tx.query("update job set state = 'waiting' where id = $1", [row.id]);
        else {
          await broken(tx, row.subject);
          await this.end(tx, row, 'interrupted', 'The application ended while it ran.');
        }
      });
    }
  }

  /**
   * Puts a job on the list, in the transaction of what it is for; `look` begins it when that is done. One that is on
   * the list already is moved to the time; one that runs begins again at its end.
   */
  async add(tx: Db, kind: string, subject: number, by: string, due: Date = this.clock()): Promise<void> {
    const now = this.running.get(kind);
    if (now?.row.subject === subject) now.again = { by };
    await this.put(tx, kind, subject, by, due);
  }

  /** The same, at a time at the latest: of many that ask for it in quick succession it is done once for all. */
  async atLatest(tx: Db, kind: string, subject: number, by: string, due: Date): Promise<void> {
    const now = this.running.get(kind);
    if (now?.row.subject === subject) now.again ??= { by, due };
    await this.put(tx, kind, subject, by, due, 'due = least(job.due, excluded.due)');
  }

  /** `moved`: what becomes of one that waits already. */
  private async put(
    tx: Db,
    kind: string,
    subject: number,
    by: string,
    due: Date,
    moved = 'due = excluded.due, started_by = excluded.started_by',
  ): Promise<void> {
    await tx.query(
      `insert into job (kind, subject, started_by, state, due) values ($1, $2, $3, 'waiting', $4)
       on conflict (kind, subject) where state in ('waiting', 'running')
       do update set ${moved} where job.state = 'waiting'`,
      [kind, subject, by, due],
    );
  }

  /** Takes a job that has not begun off the list. */
  async drop(tx: Db, kind: string, subject: number): Promise<void> {
    await tx.query("delete from job where kind = $1 and subject = $2 and state = 'waiting'", [kind, subject]);
  }

  /** Begins what is due. Resolves when it has begun. */
  look(): Promise<void> {
    const looked = this.turn.then(() => this.beginDue());
    this.turn = looked.catch((e: unknown) => log.error({ err: e }, 'jobs that are due could not be begun'));
    return looked;
  }

  /** Asks a running job to stop; false where it does not run. */
  cancel(kind: string, subject: number): boolean {
    const now = this.running.get(kind);
    if (now?.row.subject !== subject) return false;
    now.stop.abort();
    return true;
  }

  /** The job of a kind that runs. */
  current(kind: string): { subject: number; steps: JobStep[] } | undefined {
    const now = this.running.get(kind);
    return now && { subject: now.row.subject, steps: now.steps };
  }

  /** The steps of the last job on each subject, as they were kept. */
  async steps(kind: string, subjects: readonly number[]): Promise<Map<number, JobStep[]>> {
    const rows = await this.db.query<{ subject: number; steps: JobStep[] }>(
      'select distinct on (subject) subject, steps from job where kind = $1 and subject = any($2) order by subject, id desc',
      [kind, subjects],
    );
    return new Map(rows.map((r) => [r.subject, r.steps]));
  }

  /** Resolves when the job of a kind that runs has ended. */
  async wait(kind: string): Promise<void> {
    await this.running.get(kind)?.ended;
  }

  /** Begins nothing more, and resolves when what runs has ended. */
  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.timer);
    await this.turn;
    await Promise.all([...this.running.values()].map((r) => r.ended));
  }

  private async beginDue(): Promise<void> {
    clearTimeout(this.timer);
    if (this.closed) return;
    const free = [...this.kinds.keys()].filter((k) => !this.running.has(k));
    const rows = await this.db.query<Row>(
      `update job set state = 'running' where id in (select distinct on (kind) id from job
         where state = 'waiting' and due <= $1 and kind = any($2) order by kind, due, id) returning *`,
      [this.clock(), free],
    );
    for (const row of rows) this.begin(row);
    const [next] = await this.db.query<{ due: Date | null }>(
      "select min(due) as due from job where state = 'waiting' and due > $1",
      [this.clock()],
    );
    if (!next?.due) return;
    const wait = Math.min(LONGEST, next.due.getTime() - this.clock().getTime());
    this.timer = setTimeout(() => void this.look().catch(() => undefined), Math.max(0, wait));
    this.timer.unref();
  }

  private begin(row: Row): void {
    const now: Running = {
      row,
      stop: new AbortController(),
      steps: [],
      again: undefined,
      ended: Promise.resolve(),
    };
    this.running.set(row.kind, now);
    const { quiet } = this.kinds.get(row.kind)!;
    const tell = (state: JobState): void => {
      if (!quiet)
        this.events.emit({ type: 'job', kind: row.kind, subject: row.subject, state, steps: now.steps });
    };
    now.ended = this.work(now, tell)
      .catch((e: unknown) => {
        log.error({ err: e, job: row.kind, subject: row.subject }, 'the end of a job was not kept');
        return 'failed' as const;
      })
      .then(async (state) => {
        this.running.delete(row.kind);
        tell(state);
        if (now.again) {
          const { by, due } = now.again;
          if (due) await this.atLatest(this.db, row.kind, row.subject, by, due);
          else await this.add(this.db, row.kind, row.subject, by);
        }
        void this.look().catch(() => undefined);
      });
  }

  /** Does a job to its end, and says how it ended. */
  private async work(now: Running, tell: (state: JobState) => void): Promise<JobState> {
    const { row, stop } = now;
    const kind = this.kinds.get(row.kind)!;
    try {
      const end = await kind.run({
        id: row.id,
        subject: row.subject,
        by: row.started_by,
        signal: stop.signal,
        tell: (steps) => {
          now.steps = steps;
          tell('running');
        },
      });
      const state = end?.state ?? 'done';
      const next = end?.next;
      if (next && kind.quiet)
        await this.db.query("update job set state = 'waiting', due = $2 where id = $1", [row.id, next]);
      else
        // in one, so that what comes again is not lost in between
        await this.db.transaction(async (tx) => {
          await this.end(tx, row, state, end?.reason, now.steps);
          if (next) await this.put(tx, row.kind, row.subject, row.started_by, next);
        });
      return state;
    } catch (e) {
      // the next start says what became of it
      if (this.closed && kind.broken !== 'again') return 'interrupted';
      log.error({ err: e, job: row.kind, subject: row.subject }, 'a job stopped with an error');
      if (kind.broken !== 'again') {
        await this.end(this.db, row, 'failed', String(e), now.steps);
        return 'failed';
      }
      const due = new Date(this.clock().getTime() + PAUSE);
      await this.db.query("update job set state = 'waiting', due = $2 where id = $1", [row.id, due]);
      return 'waiting';
    }
  }

  private async end(
    db: Db,
    row: Row,
    state: JobState,
    reason: string | undefined,
    steps?: JobStep[],
  ): Promise<void> {
    if (steps?.length) await saveSteps(db, row.id, steps);
    await db.query('update job set state = $2, reason = $3, finished_at = $4 where id = $1', [
      row.id,
      state,
      reason ?? null,
      this.clock(),
    ]);
  }
}
