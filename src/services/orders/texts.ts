/** What runs say: the fields of their messages, filled in for whoever reads them. */
import { tz } from '@date-fns/tz';
import { format } from 'date-fns';
import { EVENT_TYPES, isKnownType, type Happened } from '../../core/guard/events.ts';
import type { MessageTo } from '../../core/guard/schema.ts';
import { fieldsFor, withBefore, type MessageField } from '../../core/orders/fields.ts';
import { ANSWERS, type Order, type Step } from '../../core/orders/schema.ts';
import type { OrderAbout, ThingFacts, Told } from '../../engine/orders.ts';
import type { Db } from '../../store/db.ts';
import { ofSignal } from '../happened/log.ts';
import { SITE } from '../messages/links.ts';
import { zonesOf } from '../messages/outbox.ts';
import { rendered, type Values } from '../messages/templates.ts';
import type { OrderParts } from './parts.ts';
import type { RunDoc } from './rows.ts';

const MONTH = 30 * 86_400_000;
/** So many files are named in a message. */
const MOST_NAMED = 20;

/** What a run is about as it is now: of a signal all that it has gathered. */
export interface Subject extends OrderAbout {
  facts: (ThingFacts | undefined)[];
  signal: { name: string; events: number } | null;
}

export async function subjectOf(parts: OrderParts, db: Db, doc: RunDoc): Promise<Subject> {
  let about: OrderAbout = { source: doc.source, things: doc.things, actor: doc.actor, targets: doc.targets };
  let signal: Subject['signal'] = null;
  if (doc.signal !== null) {
    const [row] = await db.query<{ about: number; name: string }>(
      `select s.about::int as about, v.doc->>'name' as name from signal s
       join signal_pattern_version v on v.pattern = s.pattern and v.version = s.version where s.id = $1 or s.about = $1 order by s.id limit 1`,
      [doc.signal],
    );
    const events = await db.query<{ node_key: string; target: string; told_by: string }>(
      `select node_key, doc->>'target' as target, told_by from happened where seq in (${ofSignal('$1')}) order by time, seq`,
      [row?.about ?? doc.signal],
    );
    const distinct = (list: string[]): string[] => [...new Set(list.filter(Boolean))];
    about = {
      ...about,
      source: events[0]?.told_by ?? doc.source,
      things: distinct(events.map((e) => e.node_key)),
      targets: distinct(events.map((e) => e.target)),
    };
    signal = row ? { name: row.name, events: events.length } : null;
  }
  const facts = (await parts.engine.ask.thingFacts(undefined, about.things)) ?? [];
  return { ...about, facts, signal };
}

/** Sources whose channels take messages. */
export const takingMessages = async (parts: Pick<OrderParts, 'surveys'>): Promise<string[]> =>
  (await parts.surveys.live()).flatMap((s) => (s.kind === 'channels' && !s.paused ? s.id : []));

/** Who is told, as their messages are written for them. */
export async function readersOf(db: Db, told: readonly Told[]): Promise<{ name: string; zone: string }[]> {
  const zones = await zonesOf(
    db,
    told.map((t) => t.recipient),
  );
  return told.map(({ name, recipient }) => ({ name, zone: zones.get(recipient)! }));
}

/** Everybody whom recipients come to, each once. */
export async function toldBy(
  parts: OrderParts,
  db: Db,
  about: OrderAbout,
  to: readonly MessageTo[],
): Promise<Told[]> {
  const found = new Map<string, Told>();
  const put = (t: Told): void => void (found.has(t.recipient) || found.set(t.recipient, t));
  for (const t of (await parts.engine.ask.recipients(undefined, about, to, await takingMessages(parts))) ??
    [])
    put(t);
  for (const one of to) {
    if ('address' in one) put({ way: 'mail', recipient: one.address, name: '', key: '' });
    if ('stewards' in one)
      for (const a of await db.query<{ address: string; name: string }>(
        "select address, name from account where role = 'steward' and active order by id",
      ))
        put({ way: 'mail', recipient: a.address, name: a.name, key: '' });
  }
  return [...found.values()];
}

export interface Saying {
  order: Order;
  doc: RunDoc;
  run: number;
  subject: Subject;
  /** How often the order has begun for whoever did it. */
  times: number;
  link?: string;
  until?: Date;
}

/** The values of all fields for somebody who reads. `zone`: by whose clock. */
function valuesOf(s: Saying, reader: { name: string; zone: string }): Values {
  const { doc, subject, order } = s;
  const { event } = doc;
  const [thing] = [...subject.facts].filter((f) => f !== undefined).sort((a, b) => b.weight - a.weight);
  const at = (t: number | Date): string => format(t, 'EEEE d MMMM yyyy, HH:mm', { in: tz(reader.zone) });
  const { answer } = doc;
  const given = answer === 'none' ? null : answer;
  return {
    'reader.name': reader.name,
    'order.name': order.name,
    'order.purpose': order.purpose ?? '',
    'run.link': `${SITE}/guard/orders?run=${s.run}`,
    'actor.name': event ? event.actorName || event.actor : '',
    'actor.department': event?.department ?? '',
    'event.did': event && isKnownType(event.type) ? EVENT_TYPES[event.type] : '',
    'event.told': event ? toldOf(event, thing?.name ?? event.name) : '',
    'event.at': event ? at(event.time) : '',
    'event.device': event?.device ?? '',
    'event.times': s.times,
    'target.name': event ? event.targetName || event.target : '',
    'target.domain': event?.domain ?? '',
    'thing.name':
      thing?.name || event?.name || event?.item || event?.space || 'something that is not there any more',
    'thing.path': thing?.path ?? event?.path ?? '',
    'thing.types': (thing?.types ?? event?.types ?? []).join(', '),
    'thing.label': thing?.label ?? event?.label ?? '',
    'thing.weight': thing?.weight ?? event?.weight ?? 0,
    'thing.owner': thing?.owner ?? '',
    'signal.name': subject.signal?.name ?? '',
    'signal.events': subject.signal?.events ?? 0,
    'signal.files': named(subject.facts),
    'answer.link': s.link ?? '',
    'answer.until': s.until ? at(s.until) : '',
    'answer.said': answer === 'none' ? 'no answer' : given ? ANSWERS[given.what] : '',
    'answer.reason': given ? [given.reason, given.words].filter(Boolean).join(': ') : '',
    'answer.by': given?.by ?? '',
    'change.did': doc.changed,
  } satisfies Record<MessageField, string | number>;
}

/** What an event says that somebody did: to what, and with whom. */
export function toldOf(event: Pick<Happened, 'type' | 'target' | 'targetName'>, name: string): string {
  const what = name ? `“${name}”` : 'something';
  const target = event.targetName || event.target;
  const whom = target === 'everyone' ? 'everyone in the organisation' : target;
  switch (event.type) {
    case 'file.shared':
      return `shared ${what}${whom && ` with ${whom}`}`;
    case 'link.made':
      return `made a link${whom && ` for ${whom}`} to ${what}`;
    case 'grant.made':
      return whom ? `gave ${whom} access to ${what}` : `gave access to ${what}`;
    case 'guest.added':
    case 'member.added':
      return `added ${whom || 'somebody'} to ${what}`;
    default:
      return `${isKnownType(event.type) ? EVENT_TYPES[event.type] : event.type}${name && `: ${what}`}`;
  }
}

/** Their names, each on a line; of more than some it says how many. */
export function named(facts: readonly (Pick<ThingFacts, 'name'> | undefined)[]): string {
  const names = facts.flatMap((f) => f?.name ?? []);
  const first = names.slice(0, MOST_NAMED);
  return [...first, ...(names.length > first.length ? [`and ${names.length - first.length} more`] : [])].join(
    '\n',
  );
}

/** A message of a step as somebody reads it. */
export function said(
  s: Saying,
  step: Extract<Step, { do: 'tell' | 'ask' }>,
  reader: { name: string; zone: string },
): { subject: string; body: string } {
  const before = [...withBefore(s.order.steps)].find((x) => x.step === step)?.before ?? s.order.steps;
  const fields = fieldsFor(s.order, step, before);
  const values = valuesOf(s, reader);
  return { subject: rendered(step.subject, values, fields), body: rendered(step.text, values, fields) };
}

/** How often an order has begun for somebody in the 30 days before a moment, that one included. */
export async function timesOf(db: Db, order: number, actor: string, until: Date): Promise<number> {
  if (!actor) return 1;
  const [row] = await db.query<{ n: number }>(
    "select count(*)::int as n from order_run where standing_order = $1 and doc->>'actor' = $2 and began_at > $3 and began_at <= $4",
    [order, actor, new Date(until.getTime() - MONTH), until],
  );
  return Math.max(1, row!.n);
}
