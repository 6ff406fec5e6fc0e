/** What begins a run of a standing order: an event, a signal, what a rule hits, or a day that has come. */
import { compileFilter, FilterError, type Budget } from '../../core/filter/filter.ts';
import { eventGetters, type Happened } from '../../core/guard/events.ts';
import { durationMs } from '../../core/guard/patterns.ts';
import { nextOf } from '../../core/guard/rhythm.ts';
import type { Rule } from '../../core/guard/schema.ts';
import type { Order } from '../../core/orders/schema.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readSchedule } from '../../store/settings.ts';
import { Follower } from '../happened/follower.ts';
import { EVENT_COLUMNS, eventOf, ofSignal, type KeptEvent } from '../happened/log.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import type { OrderParts } from './parts.ts';
import { dayOf } from '../days.ts';
import { AppError } from '../errors.ts';
import { CURRENT_ORDERS, docOf, emptyDoc, orderOf, type KeptOrder, type RunDoc } from './rows.ts';

const FOLLOWER = 'orders';
const RHYTHM = 'order';
const STEPS_EACH = 500;

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
  private readonly follower: Follower;

  constructor(
    private readonly parts: OrderParts,
    private readonly due: (tx: Db) => Promise<void>,
  ) {
    const { jobs, db, clock } = parts;
    this.follower = new Follower(
      db,
      FOLLOWER,
      (events) => this.take(events),
      () => (this.matching = undefined),
    );
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
            doc: { ...emptyDoc(now), ...doc },
          })),
        ),
        dayOf(now),
      ],
    );
    if (rows.length) await this.due(tx);
    return rows.length;
  }

  /** Orders are others now, or others are on. */
  changed(): Promise<void> {
    return this.follower.between(() => void (this.matching = undefined));
  }

  /** Why orders are not matched, by number. */
  troubles(): Map<number, string> {
    return new Map((this.matching ?? []).flatMap((m) => (m.trouble ? [[m.id, m.trouble] as const] : [])));
  }

  close(): Promise<void> {
    return this.follower.close();
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
    return this.follower.look();
  }

  private async take(events: readonly KeptEvent[]): Promise<void> {
    const { db, jobs, clock } = this.parts;
    this.matching ??= matchingOf(
      await db.query<KeptOrder>(`${CURRENT_ORDERS} order by o.id`),
      clock().getTime(),
    );
    const list = events.flatMap((e) => beginnings(this.matching!, e));
    const begun = await db.transaction(async (tx) => {
      await this.follower.came(tx, events);
      return this.add(tx, list);
    });
    if (begun) await jobs.look();
  }

  /** Begins what follows on a signal, in the transaction that found it. */
  async bySignal(tx: Db, signal: { id: number; name: string; seq: number }): Promise<void> {
    const kept = await tx.query<KeptOrder>(
      `select * from (${CURRENT_ORDERS}) c where (doc->>'on')::boolean and doc->'when'->>'signal' = $1`,
      [signal.name],
    );
    if (!kept.length) return;
    const [row] = await tx.query<KeptEvent>(`select ${EVENT_COLUMNS} from happened where seq = $1`, [
      signal.seq,
    ]);
    await this.add(
      tx,
      kept
        .filter((order) => !order.doc.if || !row || fitsOne(order.doc.if, eventOf(row)))
        .map((order) => ({
          order,
          cause: `signal:${signal.id}`,
          about: `signal:${signal.id}`,
          doc: row ? docOf(row, signal.id) : { signal: signal.id },
        })),
    );
  }

  /** Begins an order on a signal because somebody says so, whether it is on or not. Gives the number of its run. */
  async byHand(id: number, signal: number, by: string): Promise<number> {
    const { db, ledger, jobs } = this.parts;
    const run = await db.transaction(async (tx) => {
      const order = await orderOf(tx, id);
      const [of] = await tx.query<{ about: number }>(
        'select about::int as about from signal where about = $1 or id = $1 limit 1',
        [signal],
      );
      const [row] = await tx.query<KeptEvent>(
        `select ${EVENT_COLUMNS} from happened where seq in (${ofSignal('$1')}) order by time, seq limit 1`,
        [of?.about ?? 0],
      );
      if (!of || !row) throw new AppError('no-signal', 404, 'There is no such signal any more.');
      if ('subject' in order.doc.when)
        throw new AppError('no-event', 422, 'This order is not about something that happens.');
      const cause = `by-hand:${of.about}:${this.parts.clock().toISOString()}`;
      await this.add(tx, [{ order, cause, about: `signal:${of.about}`, doc: docOf(row, of.about) }]);
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
          after: { order: order.doc.name, signal: of.about },
        },
        tx,
      );
      return made.id;
    });
    await jobs.look();
    return run;
  }

  /** Begins what follows on what rules of a policy that enforce hit newly, in the transaction that found it. */
  async byHits(
    tx: Db,
    policy: { name: string; rules: readonly Rule[] },
    found: readonly { id: number; rule: string; key: string }[],
    at: string,
  ): Promise<void> {
    const enforced = new Set(policy.rules.flatMap((r) => (r.mode === 'enforce' ? r.id : [])));
    const hits = found.filter((f) => enforced.has(f.rule));
    if (!hits.length) return;
    const kept = await tx.query<KeptOrder>(
      `select * from (${CURRENT_ORDERS}) c where (doc->>'on')::boolean and doc->'when'->>'policy' = $1`,
      [policy.name],
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
          cause: on === null ? `${key}:${dayOf(now)}` : `${key}:${on}`,
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
export function beginnings(matching: readonly Matching[], kept: KeptEvent): Beginning[] {
  const list: Beginning[] = [];
  let doc: Partial<RunDoc> | undefined;
  for (const m of matching) {
    if (m.trouble || !m.types.has(kept.doc.type)) continue;
    doc ??= docOf(kept);
    const event = doc.event!;
    m.budget.left = STEPS_EACH;
    try {
      if (!m.fits(event)) continue;
    } catch (e) {
      if (!(e instanceof FilterError)) throw e;
      m.trouble = e.message;
      continue;
    }
    list.push({
      order: m,
      cause: `event:${kept.seq}`,
      about: `${kept.actor_key || event.actor}|${kept.node_key || event.item || event.space}|${event.target}`,
      doc,
    });
  }
  return list;
}
