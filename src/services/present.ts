/**
 * The present: the survey that questions are answered from. It has one owner. Whatever moves it waits in one
 * queue, so that an older survey never comes back in front of a newer one; and whoever rests on it is told in a
 * stated order before the next move begins.
 */
import type { Db } from '../store/db.ts';
import type { Reading } from '../dto/surveys.ts';
import type { EngineFinding } from '../engine/findings.ts';
import type { Engine } from '../engine/engine.ts';
import type { Differing, Known } from '../engine/differing.ts';
import type { RowCount } from '../engine/rows.ts';
import type { Events } from './events.ts';

/** What the present has become. */
export interface Move {
  survey: number;
  /** What it exposes other than what is known, worked out for whoever asks. */
  findings: (known: readonly Known[]) => Promise<Differing<EngineFinding>>;
  /** The same survey once more, because what it comes to has changed. */
  again: boolean;
  /** A survey came to its end: it is not only read at a start, or judged by other settings. */
  ended: boolean;
}

type Listener = (move: Move) => Promise<void>;

export class Present {
  private queue: Promise<unknown> = Promise.resolve();
  private readonly listeners: Listener[] = [];
  private counted: RowCount[] = [];
  private inForce: number | undefined;
  /** So many surveys had come to their end when every listener was told; where one failed, the move is made again. */
  private told: number | undefined;

  constructor(
    private readonly db: Db,
    private readonly engine: { ask: Pick<Engine['ask'], 'take' | 'reweigh' | 'exposed' | 'rowsRead'> },
    private readonly events: Events,
  ) {}

  /** Calls a listener after every move, once those that subscribed before it are done. */
  subscribe(listener: Listener): void {
    this.listeners.push(listener);
  }

  /** The number of the survey in force; undefined before the first. */
  get survey(): number | undefined {
    return this.inForce;
  }

  /** How many rows of a kind each source gave. */
  get counts(): readonly RowCount[] {
    return this.counted;
  }

  /** How far the newest survey is read after a start. */
  async reading(): Promise<Reading> {
    const [last] = await this.db.query<{ rows: number | null }>(
      "select (x.doc->>'rows')::int as rows from survey s left join survey_sum x on x.survey = s.id where s.state = 'done' order by s.id desc limit 1",
    );
    return { rows: await this.engine.ask.rowsRead(), of: last?.rows ?? null };
  }

  /** Reads the newest survey when the application starts. */
  start(): Promise<void> {
    return this.inTurn(() => this.take(false, true));
  }

  /** Moves to the newest survey; does nothing where it is in force already. Resolves when everybody was told. */
  toNewest(): Promise<void> {
    return this.inTurn(() => this.take(false, false));
  }

  /** Judges the survey in force anew, where what is said of it from here has changed. */
  again(): Promise<void> {
    return this.inTurn(() => this.take(true, false));
  }

  /** Weights and findings again, where what counts has changed and what was seen has not. */
  reweigh(): Promise<void> {
    return this.inTurn(async () => {
      const survey = await this.engine.ask.reweigh();
      if (survey !== undefined) await this.moved({ survey, again: true, ended: false }, this.told);
    });
  }

  private inTurn(work: () => Promise<void>): Promise<void> {
    const turn = this.queue.then(work);
    // the next in the queue goes on whatever became of this one
    this.queue = turn.catch(() => undefined);
    return turn;
  }

  private async take(again: boolean, start: boolean): Promise<void> {
    // one of a lower number may come to its end after the newest, and changes what that comes to
    const [newest] = await this.db.query<{ id: number; taken_at: Date; ended: number }>(
      "select id, taken_at, (select count(*)::int from survey where state in ('done', 'dropped')) as ended from survey where state = 'done' order by id desc limit 1",
    );
    if (!newest || (newest.ended === this.told && !again)) return;
    const same = newest.id === this.inForce;
    this.counted = await this.engine.ask.take(newest.id, newest.taken_at.toISOString());
    await this.moved({ survey: newest.id, again: same, ended: !again && !start }, newest.ended);
  }

  /** `ended`: so many surveys had come to their end by then. */
  private async moved(made: Omit<Move, 'findings'>, ended: number | undefined): Promise<void> {
    const move = { ...made, findings: (known: readonly Known[]) => this.engine.ask.exposed(known) };
    this.inForce = move.survey;
    this.told = undefined;
    try {
      for (const listener of this.listeners) await listener(move);
      this.told = ended;
    } finally {
      this.events.emit({ type: 'present', survey: move.survey });
    }
  }
}
