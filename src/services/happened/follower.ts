/**
 * Follows the log of events: what is new is taken in its order, one part after another. How far it came is kept in the
 * transaction of what was made of it, so that after an end of the application nothing is left out, and nothing taken twice.
 */
import type { Db } from '../../store/db.ts';
import { log } from '../log.ts';
import { EVENT_COLUMNS, type KeptEvent } from './log.ts';

const AT_ONCE = 2000;
/** After an error it is tried again, in milliseconds. */
const AGAIN = 30_000;

export class Follower {
  private turn: Promise<void> = Promise.resolve();
  private again = false;
  private closed = false;

  /** `take`: calls `came` in its transaction. `failed`: what it holds in memory may not be what is kept any more. */
  constructor(
    private readonly db: Db,
    private readonly name: string,
    private readonly take: (events: readonly KeptEvent[]) => Promise<void>,
    private readonly failed: () => void,
  ) {}

  /** Takes what is new. Resolves when that is done; what comes meanwhile is taken after it. */
  look(): Promise<void> {
    if (this.again || this.closed) return this.turn;
    this.again = true;
    return this.between(async () => {
      this.again = false;
      try {
        for (let more = true; more && !this.closed;) more = await this.part();
      } catch (e) {
        this.failed();
        // what comes next may come late, or never
        if (!this.closed) setTimeout(() => void this.look(), AGAIN).unref();
        log.error({ err: e, follower: this.name }, 'what happened could not be followed');
      }
    });
  }

  private async part(): Promise<boolean> {
    const events = await this.db.query<KeptEvent>(
      `select ${EVENT_COLUMNS} from happened where seq > coalesce((select seq from follower where name = $1), 0)
       order by seq limit ${AT_ONCE}`,
      [this.name],
    );
    if (events.length) await this.take(events);
    return events.length === AT_ONCE;
  }

  /** Keeps that it came to the last of some events. */
  async came(tx: Db, events: readonly KeptEvent[]): Promise<void> {
    await tx.query(
      'insert into follower (name, seq) values ($1, $2) on conflict (name) do update set seq = excluded.seq',
      [this.name, events.at(-1)!.seq],
    );
  }

  /** Does something while nothing is being taken. */
  between(work: () => Promise<void> | void): Promise<void> {
    this.turn = this.turn.then(work);
    return this.turn;
  }

  async close(): Promise<void> {
    this.closed = true;
    await this.turn;
  }
}
