/** What the store keeps of standing orders and their runs. */
import type { Happened } from '../../core/guard/events.ts';
import { programOf } from '../../core/orders/program.ts';
import type { AnswerName, Order } from '../../core/orders/schema.ts';
import { stepWords } from '../../core/orders/words.ts';
import type { GivenAnswer, RunRow, RunState } from '../../dto/orders.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { AppError } from '../errors.ts';
import type { Ledger } from '../ledger.ts';
import { eventOf, type KeptEvent } from '../happened/log.ts';

/** The job that goes on with runs. */
export const GOING_ON = 'orders';

export interface KeptOrder {
  id: number;
  version: number;
  doc: Order;
  made_at: Date;
  made_by: string;
}
export const CURRENT_ORDERS = `select o.id, o.version, v.doc, v.made_at, v.made_by from standing_order o
  join standing_order_version v on v.standing_order = o.id and v.version = o.version where o.removed_at is null`;

export async function orderOf(db: Db, id: number): Promise<KeptOrder> {
  const [kept] = await db.query<KeptOrder>(`select * from (${CURRENT_ORDERS}) c where id = $1`, [id]);
  if (!kept) throw new AppError('no-order', 404, 'There is no such standing order any more.');
  return kept;
}

/** What a run knows: what it began with, and what has become of its steps. */
export interface RunDoc {
  source: string;
  /** Keys of what it is about; of a signal they are looked up. */
  things: string[];
  /** Key of who did it; empty where nobody is known. */
  actor: string;
  targets: string[];
  event: Happened | null;
  signal: number | null;
  /** Since when it is at its step; and since when something must have been surveyed. */
  arrived: number;
  answer: GivenAnswer | 'none' | null;
  plan: number | null;
  /** Somebody has looked at how many plans the order makes, and lets this one go on. */
  released: boolean;
  /** What was changed last, in words. */
  changed: string;
  reminded: number;
}

/** What a run knows that begins with nothing. */
export const emptyDoc = (now: Date): RunDoc => ({
  source: '',
  things: [],
  actor: '',
  targets: [],
  event: null,
  signal: null,
  arrived: now.getTime(),
  answer: null,
  plan: null,
  released: false,
  changed: '',
  reminded: 0,
});

/** What a run knows of an event that it begins with, and of the signal that the event is part of. */
export function docOf(kept: KeptEvent, signal: number | null = null): Partial<RunDoc> {
  const event = eventOf(kept);
  return {
    source: kept.told_by,
    things: kept.node_key ? [kept.node_key] : [],
    actor: kept.actor_key,
    targets: event.target ? [event.target] : [],
    event,
    signal,
  };
}

/** What was answered; what was not asked is not answered. */
export const answered = ({ answer }: Pick<RunDoc, 'answer'>): AnswerName | 'none' =>
  answer === null || answer === 'none' ? 'none' : answer.what;

/** Whether one of some reasons was given. */
export const hasReason = ({ answer }: Pick<RunDoc, 'answer'>, reasons: readonly string[]): boolean =>
  answer !== null && answer !== 'none' && reasons.includes(answer.reason);

export interface Run {
  id: number;
  standing_order: number;
  version: number;
  cause: string;
  about: string;
  state: RunState;
  at: number;
  due: Date | null;
  began_at: Date;
  ended_at: Date | null;
  tries: number;
  trouble: string | null;
  doc: RunDoc;
}
/** A run with the order as it was when it began. */
export interface RunWithOrder extends Run {
  order: Order;
}
export const RUN = `select r.*, v.doc as "order" from order_run r
  join standing_order_version v on v.standing_order = r.standing_order and v.version = r.version`;

export async function runOf(db: Db, id: number): Promise<RunWithOrder> {
  const [run] = await db.query<RunWithOrder>(`${RUN} where r.id = $1`, [id]);
  if (!run) throw new AppError('no-run', 404, 'There is no such run.');
  return run;
}

/** Accepts what a run is about until a day: until then none of its order begins about the same. */
export async function accepted(
  tx: Db,
  ledger: Pick<Ledger, 'add'>,
  run: Run,
  { until, reason, by }: { until: string; reason: string; by: string },
  now: Date,
): Promise<void> {
  await tx.query(
    'insert into order_exception (standing_order, about, name, until, reason, made_at, made_by) values ($1, $2, $3, $4, $5, $6, $7)',
    [run.standing_order, run.about, run.doc.event?.name || run.doc.things[0] || '', until, reason, now, by],
  );
  await ledger.add(
    {
      who: by,
      what: 'order.excepted',
      subject: `order ${run.standing_order}`,
      after: { about: run.about, until, reason },
    },
    tx,
  );
}

/** Writes down what a step did. */
export async function did(
  tx: Db,
  run: number,
  at: number,
  time: Date,
  what: string,
  words: string,
  plan: number | null = null,
): Promise<void> {
  await tx.query(
    `insert into order_did (run, seq, at, time, what, words, plan)
     select $1, coalesce(max(seq), 0) + 1, $2, $3, $4, $5, $6 from order_did where run = $1`,
    [run, at, time, what, words.slice(0, 2000), plan],
  );
}

/** What a run becomes; a run that was ended meanwhile stays so, which is answered with false. */
export async function setRun(
  tx: Db,
  run: Run,
  next: {
    state: RunState;
    at?: number;
    due?: Date | null;
    trouble?: string | null;
    tries?: number;
    doc?: Partial<RunDoc>;
  },
  now: Date,
): Promise<boolean> {
  const over = ['done', 'stopped', 'cancelled', 'failed'].includes(next.state);
  const rows = await tx.query(
    `update order_run set state = $2, at = $3, due = $4, trouble = $5, tries = $6, doc = doc || $7::jsonb, ended_at = $8
     where id = $1 and ended_at is null and at = $9 returning id`,
    [
      run.id,
      next.state,
      next.at ?? run.at,
      over ? null : (next.due ?? null),
      next.trouble ?? null,
      next.tries ?? 0,
      storableJson(next.doc ?? {}),
      over && next.state !== 'failed' ? now : null,
      run.at,
    ],
  );
  return rows.length > 0;
}

/** What a run is at, in words; nothing where it is at its end. */
function stepOf(run: RunWithOrder): string {
  const one = run.ended_at ? undefined : programOf(run.order.steps)[run.at];
  return one ? stepWords(one.step) : '';
}

export const runRow = (r: RunWithOrder): RunRow => ({
  id: r.id,
  order: r.standing_order,
  orderName: r.order.name,
  severity: r.order.severity,
  version: r.version,
  state: r.state,
  step: stepOf(r),
  due: r.due?.toISOString() ?? null,
  beganAt: r.began_at.toISOString(),
  endedAt: r.ended_at?.toISOString() ?? null,
  trouble: r.trouble,
  actor: r.doc.event ? r.doc.event.actorName || r.doc.event.actor : '',
  thing: r.doc.event?.name || r.doc.things[0] || '',
  things: r.doc.things.length,
});
