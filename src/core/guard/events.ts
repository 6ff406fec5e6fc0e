/**
 * What happened at a workspace, as CloudEvents 1.0 tell it (docs/events.md). Attribute names are those of the CloudEvents
 * specification, version 1.0.2 (from memory).
 */
import { z } from 'zod';
import type { Getters } from '../filter/filter.ts';
import { byCode } from '../sorts.ts';

/** What can happen, and what it is called. */
export const EVENT_TYPES = {
  'decision.refused': 'was refused',
  'decision.cautioned': 'was cautioned',
  'file.opened': 'opened',
  'file.edited': 'edited',
  'file.downloaded': 'downloaded',
  'file.printed': 'printed',
  'file.copied': 'copied',
  'file.moved': 'moved',
  'file.uploaded': 'uploaded',
  'file.deleted': 'deleted',
  'file.restored': 'restored',
  'file.shared': 'shared',
  'grant.made': 'granted access',
  'grant.changed': 'changed a grant',
  'grant.removed': 'withdrew a grant',
  'link.made': 'made a link',
  'link.changed': 'changed a link',
  'link.removed': 'removed a link',
  'link.opened': 'opened by a link',
  'member.added': 'added a member',
  'member.removed': 'removed a member',
  'guest.added': 'added a guest',
  'group.changed': 'changed a group',
  'setting.changed': 'changed a setting',
  'label.set': 'set a label',
  'app.consented': 'let an app in',
  'app.withdrawn': 'had an app withdrawn',
  'account.signed-in': 'signed in',
  'message.posted': 'posted a message',
  'mail.received': 'wrote to a team’s mailbox',
  'calendar.changed': 'changed a team’s calendar',
} as const;
export type EventType = keyof typeof EVENT_TYPES;

/** What is known of an event by the survey in force; empty where it is not known. */
export interface EventFacts {
  /** Of the file, folder or space, and names from the space down to what holds it. */
  name: string;
  path: string;
  label: string;
  /** Names of the data types that count in it. */
  types: readonly string[];
  /** Of who did it. */
  actorName: string;
  department: string;
  groups: readonly string[];
  /** Name of whom it concerns. */
  targetName: string;
  /** Domain of whom it concerns, where they are of another; and whether it is a partner’s, or was never seen before. */
  domain: string;
  partner: boolean;
  newDomain: boolean;
}

/** Of which nothing is known. */
export const NO_FACTS: EventFacts = {
  name: '',
  path: '',
  label: '',
  types: [],
  actorName: '',
  department: '',
  groups: [],
  targetName: '',
  domain: '',
  partner: false,
  newDomain: false,
};

/** An event as conditions ask about it. */
export interface Happened extends EventFacts {
  id: string;
  source: string;
  type: string;
  /** Milliseconds since 1970. */
  time: number;
  /** Who did it: an account's id or an address; empty where that is not known. */
  actor: string;
  item: string;
  space: string;
  /** Whom it concerns: an address, a group, a domain, everyone or anyone. */
  target: string;
  outside: boolean;
  /** The role that was given; and which settings were changed. */
  role: string;
  detail: string;
  /** `managed` or `unmanaged`, or its name. */
  device: string;
  address: string;
  weight: number;
}

const text = (most: number) => z.string().max(most);
const target = z.union([
  text(1100),
  z.strictObject({ user: text(1100) }),
  z.strictObject({ group: text(1100) }),
  z.strictObject({ email: text(320) }),
  z.strictObject({ domain: text(255) }),
  z.strictObject({ everyone: z.literal(true) }),
  z.strictObject({ anyone: z.literal(true) }),
]);
const dataSchema = z.looseObject({
  actor: text(1100).optional(),
  user: text(1100).optional(),
  email: text(320).optional(),
  item: text(1100).optional(),
  space: text(1100).optional(),
  target: target.optional(),
  outside: z.boolean().optional(),
  device: z.union([text(200), z.looseObject({ managed: z.boolean() })]).optional(),
  address: text(100).optional(),
  weight: z.int().min(0).max(4).optional(),
  role: text(50).optional(),
  detail: z.union([text(500), z.array(text(100)).max(20)]).optional(),
});
/** Attributes of an envelope: what an extension adds is left alone. */
const envelope = z.looseObject({
  specversion: z.literal('1.0'),
  id: text(500).min(1),
  source: text(2000).min(1),
  type: text(200).min(1),
  subject: text(1100).optional(),
  time: z.iso.datetime({ offset: true }),
  data: dataSchema.optional(),
});

/** How workspaces called the types of old. */
const OLD = /^org\.gatelantern\.(?:item|file)\./;
export const isKnownType = (type: string): type is EventType => Object.hasOwn(EVENT_TYPES, type);

const whom = (t: z.infer<typeof target> | undefined): string =>
  t === undefined || typeof t === 'string'
    ? (t ?? '')
    : Object.entries(t)
        .map(([key, value]: [string, string | true]) => (value === true ? key : value))
        .join();

/**
 * Reads an event, or says all that is wrong with it. `any`: whatever its type is called. `said`: whether it says itself if
 * somebody outside is concerned, and the weight.
 */
export function readEvent(
  given: unknown,
  any = false,
): { event: Happened; said: { outside: boolean; weight: boolean } } | { wrong: string[] } {
  const read = envelope.safeParse(given);
  if (!read.success)
    return { wrong: read.error.issues.map((i) => `${i.path.join('.') || 'it'}: ${i.message}`) };
  const { id, source, subject, time, data = {} } = read.data;
  const type = read.data.type.replace(OLD, 'file.');
  if (!any && !isKnownType(type)) return { wrong: [`type: “${type}” is none of those in docs/events.md`] };
  const { device } = data;
  return {
    event: {
      id,
      source,
      type,
      time: Date.parse(time),
      actor: data.actor ?? data.user ?? data.email ?? '',
      item: data.item ?? subject ?? '',
      space: data.space ?? '',
      target: whom(data.target),
      outside: data.outside ?? false,
      role: data.role ?? '',
      detail: Array.isArray(data.detail) ? data.detail.join(', ') : (data.detail ?? ''),
      device: typeof device === 'object' ? (device.managed ? 'managed' : 'unmanaged') : (device ?? ''),
      address: data.address ?? '',
      weight: data.weight ?? 0,
      ...NO_FACTS,
    },
    said: { outside: data.outside !== undefined, weight: data.weight !== undefined },
  };
}

const WEEKDAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
const field =
  <K extends keyof Happened>(name: K) =>
  (e: Happened): Happened[K] =>
    e[name];
/** What conditions ask of events. */
export const eventGetters: Getters<Happened, 'events'> = {
  text: (e) =>
    `${e.actorName} ${e.actor} ${e.name} ${e.path} ${e.item} ${e.space} ${e.target} ${e.targetName}`.toLowerCase(),
  type: field('type'),
  source: field('source'),
  id: field('id'),
  actor: field('actor'),
  actorName: field('actorName'),
  department: field('department'),
  groups: field('groups'),
  item: field('item'),
  name: field('name'),
  extension: (e) => /\.(\w{1,12})$/.exec(e.name)?.[1]?.toLowerCase() ?? '',
  path: field('path'),
  space: field('space'),
  label: field('label'),
  types: field('types'),
  target: field('target'),
  targetName: field('targetName'),
  outside: field('outside'),
  role: field('role'),
  detail: field('detail'),
  domain: field('domain'),
  partner: field('partner'),
  newDomain: field('newDomain'),
  time: field('time'),
  hour: (e) => new Date(e.time).getUTCHours(),
  weekday: (e) => WEEKDAYS[new Date(e.time).getUTCDay()]!,
  device: field('device'),
  address: field('address'),
  weight: field('weight'),
};

/** By time, then id. */
export const byTime = (a: Happened, b: Happened): number => a.time - b.time || byCode(a.id, b.id);

/** Events that are the same by source and id are one: the first that came. */
export function once(events: Iterable<Happened>): Happened[] {
  const known = new Map<string, Happened>();
  for (const e of events) {
    const key = JSON.stringify([e.source, e.id]);
    if (!known.has(key)) known.set(key, e);
  }
  return [...known.values()];
}
