/** The log of what happened: events that sources tell are kept once, with what was known of them when they came. */
import { tz } from '@date-fns/tz';
import { format, getHours, getISODay } from 'date-fns';
import { eventGetters, readEvent, type Happened } from '../../core/guard/events.ts';
import { rowTest } from '../../core/filter/filter.ts';
import type { EventRow, EventsPage, EventTimes, Taken } from '../../dto/events.ts';
import type { QueryOfTable } from '../../dto/tables.ts';
import { ACTIVITY_OF } from '../../core/ask/activity.ts';
import type { Engine } from '../../engine/engine.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';

/** Events of the far future are mistakes, or meant to be: so much may clocks differ, in milliseconds. */
const AHEAD = 5 * 60_000;
/** A condition is asked of so many at most. */
const MOST_SCANNED = 200_000;
const AT_ONCE = 5000;
/** Steps that a condition may take over all of them. */
const MOST_STEPS = 1000 * MOST_SCANNED;

export type EventsQuery = QueryOfTable<'events'>;

/** An event as the store keeps it. */
export interface KeptEvent {
  seq: string | number;
  told_by: string;
  time: Date;
  received_at: Date;
  actor_key: string;
  node_key: string;
  doc: Omit<Happened, 'time'>;
}
export const EVENT_COLUMNS = 'seq, told_by, time, received_at, actor_key, node_key, doc';
/** Numbers of the events of all signals that are about one thing. */
export const ofSignal = (about: string): string =>
  `select e.seq from signal_event e join signal s on s.id = e.signal where s.about = ${about}`;

/** An event with its number. */
export type Numbered = Happened & { seq: number };
export const eventOf = ({ seq, time, doc }: Pick<KeptEvent, 'seq' | 'time' | 'doc'>): Numbered => ({
  ...doc,
  time: time.getTime(),
  seq: Number(seq),
});

/** Numbers of events, and how far back they were looked for where that is not all. */
interface Scanned {
  seqs: number[];
  reached: string | null;
}

export class EventLog {
  /** Called when there is something new. */
  onNew: () => void = () => undefined;
  /** The last search: the list and its charts ask for the same at once. */
  private found: { key: string; scanned: Promise<Scanned> } | undefined;

  constructor(
    private readonly db: Db,
    private readonly engine: { ask: Pick<Engine['ask'], 'placed'> },
    private readonly clock: () => Date,
  ) {}

  /** Keeps what a source tells, each event once. */
  async take(toldBy: string, given: readonly unknown[]): Promise<Taken> {
    const now = this.clock();
    const wrong: Taken['wrong'] = [];
    const events = new Map<string, Happened>();
    const said = new Map<Happened, { outside: boolean; weight: boolean }>();
    let repeated = 0;
    for (const one of given) {
      const read = readEvent(one);
      const { id: named } = (one ?? {}) as { id?: unknown };
      const id = typeof named === 'string' ? named.slice(0, 500) : '';
      if ('wrong' in read) wrong.push({ id, wrong: read.wrong });
      else if (read.event.time > now.getTime() + AHEAD)
        wrong.push({ id, wrong: ['time: it is in the future'] });
      else {
        const key = JSON.stringify([read.event.source, id]);
        if (events.has(key)) repeated++;
        else events.set(key, read.event);
        said.set(read.event, read.said);
      }
    }
    const list = [...events.values()];
    if (!list.length) return { taken: 0, known: repeated, wrong };
    const placed = await this.engine.ask.placed(undefined, toldBy, list);
    const rows = list.map((e, n) => {
      const { actorKey = '', nodeKey = '', ...facts } = placed?.[n] ?? {};
      const of = said.get(e)!;
      const { time, ...doc } = {
        ...e,
        ...facts,
        ...(of.outside && { outside: e.outside }),
        ...(of.weight && { weight: e.weight }),
      };
      return {
        source: e.source,
        id: e.id,
        type: e.type,
        time: new Date(time).toISOString(),
        actor_key: actorKey,
        node_key: nodeKey,
        doc,
      };
    });
    const kept = await this.db.query(
      `with kept as (insert into happened (told_by, source, id, type, time, received_at, actor_key, node_key, doc)
       select $1, source, id, type, time, $2, actor_key, node_key, doc
       from jsonb_to_recordset($3::jsonb) as e(source text, id text, type text, time timestamptz, actor_key text, node_key text, doc jsonb)
       on conflict (told_by, source, id) do nothing returning seq, type, time, node_key),
       seen as (insert into node_seen select node_key, $4::jsonb->>type, max(time) from kept
         where node_key <> '' and $4::jsonb ? type group by 1, 2
         on conflict (node_key, source) do update set at = greatest(node_seen.at, excluded.at))
       select seq from kept`,
      [toldBy, now, storableJson(rows), JSON.stringify(ACTIVITY_OF)],
    );
    if (kept.length) this.onNew();
    return { taken: kept.length, known: repeated + list.length - kept.length, wrong };
  }

  /** Events that are asked for, the newest first. Throws a FilterError. */
  async list(q: EventsQuery, page: { limit: number; offset: number }): Promise<EventsPage> {
    if (q.text || q.where) {
      const { seqs, reached } = await this.scan(q);
      const wanted = seqs.slice(page.offset, page.offset + page.limit);
      const rows = await this.db.query<KeptEvent>(
        `select ${EVENT_COLUMNS} from happened where seq = any($1) order by time desc, seq desc`,
        [wanted],
      );
      return { rows: rows.map(rowOf), total: seqs.length, reached };
    }
    const { sql, values } = within(q);
    const rows = await this.db.query<KeptEvent>(
      `select ${EVENT_COLUMNS} from happened where ${sql} order by time desc, seq desc limit $${values.length + 1} offset $${values.length + 2}`,
      [...values, page.limit, page.offset],
    );
    const [all] = await this.db.query<{ n: number }>(
      `select count(*)::int as n from happened where ${sql}`,
      values,
    );
    return { rows: rows.map(rowOf), total: all!.n, reached: null };
  }

  /** When they were, by the clock of a time zone. Throws a FilterError. */
  async times(q: EventsQuery): Promise<EventTimes> {
    const days = new Map<string, number>();
    const week = Array.from({ length: 7 }, () => new Array<number>(24).fill(0));
    const there = { in: tz(q.zone) };
    const count = (at: Date, n: number): void => {
      const day = format(at, 'yyyy-MM-dd', there);
      days.set(day, (days.get(day) ?? 0) + n);
      week[getISODay(at, there) - 1]![getHours(at, there)]! += n;
    };
    let reached: string | null = null;
    if (q.text || q.where) {
      const scanned = await this.scan(q);
      ({ reached } = scanned);
      for (const { time } of await this.db.query<{ time: Date }>(
        'select time from happened where seq = any($1)',
        [scanned.seqs],
      ))
        count(time, 1);
    } else {
      const { sql, values } = within(q);
      // of a quarter of an hour all are of one day and hour, whatever the zone
      for (const { at, n } of await this.db.query<{ at: Date; n: number }>(
        `select to_timestamp(floor(extract(epoch from time) / 900) * 900) as at, count(*)::int as n from happened where ${sql} group by 1`,
        values,
      ))
        count(at, n);
    }
    return {
      days: [...days].sort().map(([day, events]) => ({ day, events })),
      week,
      reached,
    };
  }

  /** Numbers of those that fit a condition, the newest first; kept, since pages are asked for one after another. */
  private async scan(q: EventsQuery): Promise<Scanned> {
    const [last] = await this.db.query<{ seq: string | null }>('select max(seq) as seq from happened');
    const key = JSON.stringify([q, last?.seq ?? 0]);
    if (this.found?.key === key) return this.found.scanned;
    const found = { key, scanned: this.search(q) };
    this.found = found;
    // what failed is asked anew the next time
    found.scanned.catch(() => {
      if (this.found === found) this.found = undefined;
    });
    return found.scanned;
  }

  private async search(q: EventsQuery): Promise<Scanned> {
    const fits = rowTest(q, 'events', eventGetters, this.clock().getTime(), MOST_STEPS);
    const { sql, values } = within(q);
    const seqs: number[] = [];
    let reached: string | null = null;
    let [before, scanned]: [{ time: Date; seq: string | number } | undefined, number] = [undefined, 0];
    for (;;) {
      const rows: KeptEvent[] = await this.db.query<KeptEvent>(
        `select ${EVENT_COLUMNS} from happened where ${sql} ${before ? `and (time, seq) < ($${values.length + 1}, $${values.length + 2})` : ''}
         order by time desc, seq desc limit ${AT_ONCE}`,
        before ? [...values, before.time, before.seq] : values,
      );
      for (const row of rows) if (fits(eventOf(row))) seqs.push(Number(row.seq));
      scanned += rows.length;
      if (rows.length < AT_ONCE) break;
      before = rows.at(-1);
      if (scanned >= MOST_SCANNED) {
        reached = before!.time.toISOString();
        break;
      }
    }
    return { seqs, reached };
  }

  /** Lets go of what is older than so many days, once all that follows events has come past it. */
  async drop(days: number): Promise<number> {
    const gone = await this.db.query(
      `delete from happened where time < $1 and seq <= (select min(seq) from follower)
         and not exists (select from signal_event s where s.seq = happened.seq) returning 1`,
      [new Date(this.clock().getTime() - days * 86_400_000)],
    );
    this.found = undefined;
    return gone.length;
  }
}

/** What the store can hold a question to by itself. */
function within(q: EventsQuery): { sql: string; values: unknown[] } {
  const values: unknown[] = [];
  const asked: string[] = ['true'];
  const put = (value: unknown): string => `$${values.push(value)}`;
  const ask = (value: unknown, sql: (at: string) => string): void => {
    if (value !== undefined) asked.push(sql(put(value)));
  };
  ask(q.type, (at) => `type = ${at}`);
  ask(q.since, (at) => `time >= ${at}::timestamptz`);
  ask(q.until, (at) => `time < ${at}::timestamptz`);
  ask(q.actor, (at) => `actor_key = ${at}`);
  ask(q.node, (at) => `node_key = ${at}`);
  ask(q.signal, (at) => `seq in (${ofSignal(at)})`);
  ask(q.hour, (at) => `extract(hour from time at time zone ${put(q.zone)})::int = ${at}`);
  ask(q.weekday, (at) => `extract(isodow from time at time zone ${put(q.zone)})::int = ${at}`);
  return { sql: asked.join(' and '), values };
}

const rowOf = (k: KeptEvent): EventRow => ({
  ...k.doc,
  seq: Number(k.seq),
  toldBy: k.told_by,
  at: k.time.toISOString(),
  receivedAt: k.received_at.toISOString(),
  actorKey: k.actor_key,
  nodeKey: k.node_key,
});
