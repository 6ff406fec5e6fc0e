/** What begins a run of a standing order: an event, a signal, what a rule hits, or a day that has come. */
import { compileFilter, FilterError, type Budget } from '../../core/filter/filter.ts';
import { eventGetters, type Happened } from '../../core/guard/events.ts';
import { durationMs } from '../../core/guard/patterns.ts';
import { nextOf } from '../../core/guard/rhythm.ts';
import type { Order } from '../../core/orders/schema.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readSchedule } from '../../store/settings.ts';
import { log } from '../log.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import type { OrderParts } from './parts.ts';
import { AppError } from '../errors.ts';
import { CURRENT_ORDERS, orderOf, type KeptOrder, type RunDoc } from './rows.ts';

const FOLLOWER = 'orders';
const AT_ONCE = 2000;
const RHYTHM = 'order';
const STEPS_EACH = 500;

interface EventRow {
  seq: number;
  told_by: string;
  time: Date;
  actor_key: string;
  node_key: string;
  doc: Omit<Happened, 'time'>;
}
interface Matching extends KeptOrder {
  types: ReadonlySet<string>;
  budget: Budget;
  fits: (e: Happened) => boolean;
  trouble: string | null;
}

/** A run that is to begin. `about`: what it is about, so that two under way about the same are one. */
export interface Beginning {
  order: Pick<KeptOrder, 'id' | 'version'>;
  cause: string;
  about: string;
  doc: Partial<RunDoc>;
}

export class Begin {
  private matching: Matching[] | undefined;
  private turn: Promise<void> = Promise.resolve();
  private again = false;
  private closed = false;

  constructor(
    private readonly parts: OrderParts,
    private readonly due: (tx: Db) => Promise<void>,
  ) {
    const { jobs, db, clock } = parts;
    jobs.declare(RHYTHM, {
      broken: 'again',
      run: async ({ subject }) => {
        const [kept] = await db.query<KeptOrder>(`select * from (${CURRENT_ORDERS}) c where id = $1`, [
          subject,
        ]);
        if (!kept?.doc.on || !('rhythm' in kept.doc.when)) return;
        await this.byRhythm(kept);
        return { state: 'done', next: nextOf(kept.doc.when.rhythm, clock(), (await readSchedule(db)).zone) };
      },
    });
  }

  /** Begins runs, in a transaction; those that have begun, or are under way about the same, do not again. */
  async add(tx: Db, list: readonly Beginning[]): Promise<number> {
    if (!list.length) return 0;
    const now = this.parts.clock();
    const rows = await tx.query(
      `insert into order_run (standing_order, version, cause, about, state, at, due, began_at, doc)
       select o, v, cause, about, 'ready', 0, $1, $1, doc from jsonb_to_recordset($2::jsonb) as n(o int, v int, cause text, about text, doc jsonb)
       where not exists (select from order_exception x where x.standing_order = n.o and x.about = n.about and x.ended_at is null and x.until >= $3::date)
       on conflict do nothing returning id`,
      [
        now,
        storableJson(
          list.map(({ order, cause, about, doc }) => ({
            o: order.id,
            v: order.version,
            cause: cause.slice(0, 2000),
            about: about.slice(0, 2000),
            doc: {
              source: '',
              things: [],
              actor: '',
              targets: [],
              event: null,
              signal: null,
              arrived: now.getTime(),
              answer: null,
              plan: null,
              changed: '',
              reminded: 0,
              ...doc,
            } satisfies RunDoc,
          })),
        ),
        now.toISOString().slice(0, 10),
      ],
    );
    if (rows.length) await this.due(tx);
    return rows.length;
  }

  /** Orders are others now, or others are on. */
  async changed(): Promise<void> {
    this.turn = this.turn.then(() => void (this.matching = undefined));
    await this.turn;
  }

  /** Why orders are not matched, by number. */
  troubles(): Map<number, string> {
    return new Map((this.matching ?? []).flatMap((m) => (m.trouble ? [[m.id, m.trouble] as const] : [])));
  }

  async close(): Promise<void> {
    this.closed = true;
    await this.turn;
  }

  /** Where events are looked at from: what was told before the first order was made is not looked at. */
  async start(): Promise<void> {
    await this.parts.db.query(
      'insert into follower (name, seq) select $1, coalesce(max(seq), 0) from happened on conflict (name) do nothing',
      [FOLLOWER],
    );
    void this.look();
  }

  /** Looks at what has happened. Resolves when that is done. */
  look(): Promise<void> {
    if (this.again) return this.turn;
    this.again = true;
    this.turn = this.turn.then(async () => {
      this.again = false;
      try {
        for (let more = true; more && !this.closed;) more = await this.events();
      } catch (e) {
        this.matching = undefined;
        log.error({ err: e }, 'standing orders could not be begun');
      }
    });
    return this.turn;
  }

  private async events(): Promise<boolean> {
    const { db, jobs } = this.parts;
    this.matching ??= await this.read();
    const rows = await db.query<EventRow>(
      `select seq::int as seq, told_by, time, actor_key, node_key, doc from happened
       where seq > coalesce((select seq from follower where name = $1), 0) order by seq limit ${AT_ONCE}`,
      [FOLLOWER],
    );
    if (!rows.length) return false;
    const list = rows.flatMap((r) => beginnings(this.matching!, r));
    const begun = await db.transaction(async (tx) => {
      await tx.query('update follower set seq = $2 where name = $1', [FOLLOWER, rows.at(-1)!.seq]);
      return this.add(tx, list);
    });
    if (begun) await jobs.look();
    return rows.length === AT_ONCE;
  }

  private async read(): Promise<Matching[]> {
    const kept = await this.parts.db.query<KeptOrder>(`${CURRENT_ORDERS} order by o.id`);
    return matchingOf(kept, this.parts.clock().getTime());
  }

  /** Begins what follows on a signal, in the transaction that found it. */
  async bySignal(tx: Db, signal: { id: number; name: string; seq: number }): Promise<void> {
    const kept = await tx.query<KeptOrder>(
      `select * from (${CURRENT_ORDERS}) c where (doc->>'on')::boolean and doc->'when'->>'signal' = $1`,
      [signal.name],
    );
    if (!kept.length) return;
    const [row] = await tx.query<EventRow>(
      'select seq::int as seq, told_by, time, actor_key, node_key, doc from happened where seq = $1',
      [signal.seq],
    );
    const event = row && { ...row.doc, time: row.time.getTime() };
    const list = kept.flatMap((order): Beginning[] => {
      if (order.doc.if && event && !fitsOne(order.doc.if, event)) return [];
      return [
        {
          order,
          cause: `signal:${signal.id}`,
          about: `signal:${signal.id}`,
          doc: {
            signal: signal.id,
            ...(row && {
              source: row.told_by,
              actor: row.actor_key,
              event: event ?? null,
              things: [row.node_key].filter(Boolean),
            }),
          },
        },
      ];
    });
    await this.add(tx, list);
  }

  /** Begins an order on a signal because somebody says so, whether it is on or not. Gives the number of its run. */
  async byHand(id: number, signal: number, by: string): Promise<number> {
    const { db, ledger, jobs } = this.parts;
    const run = await db.transaction(async (tx) => {
      const order = await orderOf(tx, id);
      const [row] = await tx.query<EventRow & { about: number }>(
        `select h.seq::int as seq, h.told_by, h.time, h.actor_key, h.node_key, h.doc, s.about::int as about
         from signal s join signal_event e on e.signal = s.id join happened h on h.seq = e.seq
         where s.about = $1 or s.id = $1 order by h.time, h.seq limit 1`,
        [signal],
      );
      if (!row) throw new AppError('no-signal', 404, 'There is no such signal any more.');
      if ('subject' in order.doc.when)
        throw new AppError('no-event', 422, 'This order is not about something that happens.');
      const cause = `by-hand:${row.about}:${this.parts.clock().toISOString()}`;
      await this.add(tx, [
        {
          order,
          cause,
          about: `signal:${row.about}`,
          doc: {
            signal: row.about,
            source: row.told_by,
            actor: row.actor_key,
            event: { ...row.doc, time: row.time.getTime() },
            things: [row.node_key].filter(Boolean),
          },
        },
      ]);
      const [made] = await tx.query<{ id: number }>(
        'select id from order_run where standing_order = $1 and cause = $2',
        [id, cause],
      );
      if (!made)
        throw new AppError(
          'under-way',
          409,
          'This order is under way for this signal already, or it was accepted.',
        );
      await ledger.add(
        {
          who: by,
          what: 'run.begun',
          subject: `run ${made.id}`,
          after: { order: order.doc.name, signal: row.about },
        },
        tx,
      );
      return made.id;
    });
    await jobs.look();
    return run;
  }

  /** Begins what follows on what rules of a policy hit newly, in the transaction that found it. */
  async byHits(
    tx: Db,
    policy: string,
    hits: readonly { id: number; rule: string; key: string }[],
    at: string,
  ): Promise<void> {
    if (!hits.length) return;
    const kept = await tx.query<KeptOrder>(
      `select * from (${CURRENT_ORDERS}) c where (doc->>'on')::boolean and doc->'when'->>'policy' = $1`,
      [policy],
    );
    await this.add(
      tx,
      kept.flatMap((order) =>
        hits
          .filter((h) => 'rule' in order.doc.when && order.doc.when.rule === h.rule)
          .map((h) => ({
            order,
            // it may be hit again once it was over
            cause: `hit:${h.id}:${at}`,
            about: `hit:${h.key}`,
            doc: { things: [h.key] },
          })),
      ),
    );
  }

  private async byRhythm(kept: KeptOrder): Promise<void> {
    const { db, engine, clock, jobs } = this.parts;
    const { when } = kept.doc;
    if (!('rhythm' in when)) return;
    const now = clock();
    const date = when.date && { field: when.date.field, before: durationMs(when.date.before)! };
    const found =
      (await engine.ask.orderFits(undefined, when.subject, kept.doc.if, date, now.getTime())) ?? [];
    const begun = await db.transaction((tx) =>
      this.add(
        tx,
        found.map(({ key, date: on }) => ({
          order: kept,
          // for a date once; else once a day, as long as none is under way
          cause: on === null ? `${key}:${now.toISOString().slice(0, 10)}` : `${key}:${on}`,
          about: key,
          doc: { things: [key] },
        })),
      ),
    );
    if (begun) await jobs.look();
  }

  /** Puts the rhythm of an order on the list, or takes it off. */
  async schedule(tx: Db, id: number, doc: Order | undefined): Promise<void> {
    const { jobs, clock } = this.parts;
    const due =
      doc?.on && 'rhythm' in doc.when
        ? nextOf(doc.when.rhythm, clock(), (await readSchedule(tx)).zone)
        : undefined;
    if (due) await jobs.add(tx, RHYTHM, id, BY_ITSELF, due);
    else await jobs.drop(tx, RHYTHM, id);
  }
}

const fitsOne = (condition: string, event: Happened): boolean => {
  try {
    return compileFilter(condition, 'events', eventGetters, event.time, 10_000)(event);
  } catch (e) {
    if (e instanceof FilterError) return false;
    throw e;
  }
};

/** Orders that begin with events, ready to be asked. Those that cannot be worked out say so. */
export function matchingOf(kept: readonly KeptOrder[], taken: number): Matching[] {
  return kept.flatMap((k): Matching[] => {
    const { when } = k.doc;
    if (!k.doc.on || !('event' in when)) return [];
    const budget: Budget = { left: 0 };
    const one = { ...k, types: new Set<string>(when.event), budget, trouble: null };
    try {
      return [{ ...one, fits: compileFilter(k.doc.if, 'events', eventGetters, taken, budget) }];
    } catch (e) {
      if (!(e instanceof FilterError)) throw e;
      return [{ ...one, fits: () => false, trouble: e.message }];
    }
  });
}

/** What an event begins. */
export function beginnings(matching: readonly Matching[], r: EventRow): Beginning[] {
  const list: Beginning[] = [];
  let event: Happened | undefined;
  for (const m of matching) {
    if (m.trouble || !m.types.has(r.doc.type)) continue;
    event ??= { ...r.doc, time: r.time.getTime() };
    m.budget.left = STEPS_EACH;
    try {
      if (!m.fits(event)) continue;
    } catch (e) {
      if (!(e instanceof FilterError)) throw e;
      m.trouble = e.message;
      continue;
    }
    const thing = r.node_key;
    list.push({
      order: m,
      cause: `event:${r.seq}`,
      about: `${r.actor_key || event.actor}|${thing || event.item || event.space}|${event.target}`,
      doc: {
        source: r.told_by,
        things: thing ? [thing] : [],
        actor: r.actor_key,
        targets: event.target ? [event.target] : [],
        event,
      },
    });
  }
  return list;
}
