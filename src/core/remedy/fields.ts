/**
 * Everything about an object that a change can set, each declared once. Schemas, defaults, words, which kinds of
 * workspace can set it and what comes nearest where one cannot: plans, previews, the API, the command line, the
 * stand-ins and the docs read it here. How access reads a field is in access/change.ts (docs/adding.md).
 */
import { z } from 'zod';
import { sameJson } from '../equal.ts';
import {
  AUDIENCES,
  EXTERNAL_SHARING,
  ROLES,
  SHARING_WORDS,
  type Audience,
  type ExternalSharing,
} from '../model.ts';

/** Kinds of sources. */
export const SOURCE_KINDS = ['directory', 'drives', 'sites', 'channels', 'extract'] as const;
export type SourceKind = (typeof SOURCE_KINDS)[number];

/** Names for what a change is about, so that it can be said in words. */
export interface Naming {
  /** The object, such as “the space “Crew””. */
  what: string;
  user: (id: string) => string;
  group: (id: string) => string;
}

interface FieldDeclaration<S extends z.ZodType> {
  /** Without null; whether a field can be taken away is said by `clears`. */
  schema: S;
  /** It can be taken away; then the default holds. */
  clears: boolean;
  /** It holds unless the row says false. */
  holds?: true;
  /** Kinds of sources that can set it. */
  able: readonly SourceKind[];
  /** What comes nearest where a kind cannot, as the end of a sentence that begins with its name. */
  nearest?: Partial<Record<SourceKind, string>>;
  /** What ids in the value stand for, where they are a source's own. */
  refers?: 'user' | 'users' | 'groups' | 'recipients';
  /** Whether the second value lets in more, or lets do more, than the first; null and undefined are the default. */
  wider?(before: unknown, after: unknown): boolean;
  /** What setting it does, in words; null where it is taken away. Undefined where another field says it. */
  words(value: z.infer<S> | null, names: Naming, set: Record<string, unknown>): string | undefined;
}
/** Keeps each field's own types. */
const field = <S extends z.ZodType, D extends FieldDeclaration<S>>(declared: D & { schema: S }): D =>
  declared;

/** PostgreSQL’s text cannot hold U+0000. */
const id = z
  .string()
  .min(1)
  .max(1100)
  .refine((t) => !t.includes('\0'), 'must not hold U+0000');
const time = z.iso.datetime({ offset: true });
const recipient = z.union([
  z.strictObject({ user: id }),
  z.strictObject({ group: id }),
  z.strictObject({ email: id }),
]);
const listed = (list: readonly string[]): string => list.join(' and ');
const day = (t: string): string => t.slice(0, 10);
const AUDIENCE_WORDS: Record<Audience, string> = {
  named: 'those it names',
  organisation: 'the organisation',
  anyone: 'anyone',
};
/** How external sharing is said; anyone where it is not set. */
export const sharingWords = (v: ExternalSharing | null | undefined): string => SHARING_WORDS[v ?? 'anyone'];

const role = z.enum(ROLES);
const DIM_CHANNELS = 'has no search of its own. Nearest: ';
/** Whether a value comes later in a list than another. */
const later =
  (list: readonly string[]) =>
  (before: unknown, after: unknown): boolean =>
    list.indexOf(after as string) > list.indexOf(before as string);
const moment = (t: unknown): number => (t ? Date.parse(t as string) : Infinity);
const expires = (able: readonly SourceKind[], nearest: Partial<Record<SourceKind, string>>) =>
  field({
    schema: time,
    clears: true,
    able,
    nearest,
    wider: (before, after) => moment(after) > moment(before),
    words: (v) => (v ? `until ${day(v)}` : 'without an end'),
  });

const label = (able: readonly SourceKind[], channels: string) =>
  field({
    schema: z.string().trim().min(1).max(100),
    clears: true,
    able,
    nearest: { channels },
    words: (v, { what }) => (v ? `Label ${what} “${v}”` : `Take the label off ${what}`),
  });
const noCopies = (able: readonly SourceKind[], nearest: Partial<Record<SourceKind, string>>) =>
  field({
    schema: z.boolean(),
    clears: true,
    able,
    nearest,
    wider: (before, after) => !after && !!before,
    words: (v, { what }) =>
      v
        ? `Let readers and commenters make no copies of ${what}`
        : `Let readers and commenters copy ${what} again`,
  });

/** What can be done to each kind of object: taken away by these kinds of sources, and these fields set. */
export const CHANGEABLE = {
  grant: {
    away: ['drives', 'sites', 'channels'],
    lead: true,
    fields: {
      role: field({
        schema: role,
        clears: false,
        able: ['drives', 'sites', 'channels'],
        wider: later(ROLES),
        words: (v) => `to ${v}`,
      }),
      expiresAt: expires(['drives'], {
        sites: 'lets no grant end by itself. Nearest: narrow its role, or end the guest’s account on a day',
        channels: 'lets nobody’s place end by itself. Nearest: end the guest’s account on a day',
      }),
    },
  },
  link: {
    away: ['drives', 'sites'],
    lead: true,
    fields: {
      role: field({
        schema: role,
        clears: false,
        able: ['drives', 'sites'],
        wider: later(ROLES),
        words: (v) => `to ${v}`,
      }),
      audience: field({
        schema: z.enum(AUDIENCES),
        clears: false,
        able: ['drives', 'sites'],
        wider: later(AUDIENCES),
        words: (v) => `to ${AUDIENCE_WORDS[v!]}`,
      }),
      expiresAt: expires(['drives', 'sites'], {}),
      noCopies: field({
        schema: z.boolean(),
        clears: true,
        able: ['drives', 'sites'],
        wider: (before, after) => !after && !!before,
        words: (v) => (v ? 'without copies' : 'with copies allowed'),
      }),
      recipients: field({
        schema: recipient.array().max(1000),
        clears: false,
        able: ['drives', 'sites'],
        refers: 'recipients',
        wider: (before, after) =>
          (after as object[]).some((r) => !((before ?? []) as object[]).some((b) => sameJson(b, r))),
        words: (v, _, set) =>
          set.audience !== 'named'
            ? `to ${v!.length} named`
            : v!.length
              ? `who are the ${v!.length} who use it`
              : undefined,
      }),
    },
  },
  member: { away: ['directory'], lead: undefined, fields: {} },
  space: {
    away: [],
    lead: undefined,
    fields: {
      visibility: field({
        schema: z.enum(['members', 'organisation']),
        clears: true,
        able: ['sites', 'channels'],
        nearest: { drives: 'shows no space to everybody. Nearest: withdraw the grant to everyone' },
        words: (v, { what }) =>
          v === 'organisation'
            ? `Show ${what} to the whole organisation`
            : `Show ${what} to its members only`,
      }),
      visibilityRole: field({
        schema: role,
        clears: true,
        able: ['sites'],
        words: (v, { what }) => (v ? `Make everyone who sees ${what} a ${v}` : undefined),
      }),
      externalSharing: field({
        schema: z.enum(EXTERNAL_SHARING),
        clears: true,
        able: ['drives', 'sites'],
        nearest: {
          channels:
            'has no setting for it. Nearest: take each guest out of the channel, or suspend the guest',
        },
        words: (v, { what }) => `Share ${what} ${sharingWords(v)}`,
      }),
      editorsShare: field({
        schema: z.boolean(),
        clears: true,
        holds: true,
        able: ['sites'],
        words: (v, { what }) =>
          v === false ? `Stop editors of ${what} from sharing` : `Let editors of ${what} share`,
      }),
      gate: field({
        schema: id.array().max(50),
        clears: true,
        able: ['sites'],
        nearest: {
          drives:
            'has no gate. Nearest: share the space with guests who have an account, or with nobody outside',
          channels: 'has no gate. Nearest: show the channel to its members only',
        },
        refers: 'groups',
        words: (v, { what, group }) =>
          v?.length
            ? `Let only ${listed(v.map((g) => `“${group(g)}”`))} pass the gate of ${what}`
            : `Remove the gate of ${what}`,
      }),
      defaultAudience: field({
        schema: z.enum(AUDIENCES),
        clears: true,
        able: ['drives', 'sites'],
        words: (v, { what }) => `Make new links in ${what} for ${AUDIENCE_WORDS[v ?? 'named']}`,
      }),
      dim: field({
        schema: z.boolean(),
        clears: true,
        able: ['sites'],
        nearest: {
          drives: 'dims files and folders, not drives. Nearest: dim its folders',
          channels: `${DIM_CHANNELS}show the channel to its members only`,
        },
        words: (v, { what }) => (v ? `Dim ${what}` : `Let search find ${what} again`),
      }),
      archived: field({
        schema: z.boolean(),
        clears: true,
        able: ['drives', 'sites', 'channels'],
        wider: (before, after) => !after && !!before,
        words: (v, { what }) => (v ? `Archive ${what}` : `Take ${what} out of the archive`),
      }),
      binned: field({
        schema: z.boolean(),
        clears: true,
        able: ['drives', 'sites', 'channels'],
        wider: (before, after) => !after && !!before,
        words: (v, { what }) => (v ? `Delete ${what}` : `Restore ${what} from the bin`),
      }),
      noCopies: noCopies(['sites'], {
        drives: 'restricts files, not drives. Nearest: restrict its files',
        channels: 'lets everybody in a channel copy. Nearest: move the file to quarantine',
      }),
      label: label(['drives', 'sites'], 'knows no labels of channels. Nearest: label its files elsewhere'),
      owners: field({
        schema: id.array().max(50),
        clears: true,
        able: ['drives', 'sites', 'channels'],
        refers: 'users',
        words: (v, { what, user }) => `Make ${listed((v ?? []).map(user)) || 'nobody'} the owner of ${what}`,
      }),
    },
  },
  item: {
    away: [],
    lead: undefined,
    fields: {
      binned: field({
        schema: z.boolean(),
        clears: true,
        able: ['drives', 'sites', 'channels'],
        words: (v, { what }) => (v ? `Delete ${what}` : `Restore ${what} from the bin`),
      }),
      noCopies: noCopies(['drives', 'sites'], {
        channels: 'lets everybody in a channel copy. Nearest: move the file to quarantine',
      }),
      label: label(
        ['drives', 'sites'],
        'keeps the labels that files bring along. Nearest: move the file to quarantine',
      ),
      inherits: field({
        schema: z.boolean(),
        clears: true,
        holds: true,
        able: ['sites'],
        nearest: {
          drives:
            'passes everything on to what is below. Nearest: withdraw what is granted above, or move the item to quarantine',
          channels: 'gives every file to all of the channel. Nearest: move the file to quarantine',
        },
        words: (v, { what }) =>
          v === false ? `Stop ${what} from inheriting access` : `Let ${what} inherit access again`,
      }),
      owner: field({
        schema: id,
        clears: true,
        able: ['drives', 'sites'],
        nearest: { channels: 'keeps who posted a file as its owner. Nearest: move the file to quarantine' },
        refers: 'user',
        words: (v, { what, user }) =>
          v ? `Make ${user(v)} the owner of ${what}` : `Leave ${what} without an owner`,
      }),
      held: field({
        schema: z.boolean(),
        clears: true,
        able: ['drives', 'sites', 'channels'],
        words: (v, { what }) => (v ? `Move ${what} to quarantine` : `Release ${what} from quarantine`),
      }),
      dim: field({
        schema: z.boolean(),
        clears: true,
        able: ['drives'],
        nearest: {
          sites: 'dims whole sites. Nearest: dim the site',
          channels: `${DIM_CHANNELS}move the file to quarantine`,
        },
        words: (v, { what }) => (v ? `Dim ${what}` : `Let search find ${what} again`),
      }),
    },
  },
  person: {
    away: [],
    lead: undefined,
    fields: {
      active: field({
        schema: z.boolean(),
        clears: false,
        holds: true,
        able: ['directory'],
        words: (v, { what }) => (v === false ? `Suspend ${what}` : `Reactivate ${what}`),
      }),
      expiresAt: field({
        schema: time,
        clears: true,
        able: ['directory'],
        nearest: Object.fromEntries(
          (['drives', 'sites', 'channels'] as const).map((k) => [
            k,
            'lets no account end by itself. Nearest: withdraw what the guest was given',
          ]),
        ),
        words: (v, { what }) =>
          v ? `End the account of ${what} on ${day(v)}` : `Remove the end date of the account of ${what}`,
      }),
    },
  },
  appGrant: {
    away: ['drives', 'sites', 'channels'],
    lead: undefined,
    noWayBack: 'An app that was withdrawn cannot be put back: whoever let it in has to do so again.',
    fields: {},
  },
} as const satisfies Record<
  string,
  {
    away: readonly SourceKind[];
    /** Why undoing cannot put it back, where it cannot. */
    noWayBack?: string;
    /** The fields give pieces of a sentence that begins with what they come to; whole sentences where absent. */
    lead: true | undefined;
    fields: Record<string, FieldDeclaration<z.ZodType>>;
  }
>;

type Declared = typeof CHANGEABLE;
/** What a change can be made to. `member`: somebody's being in a group. */
export type ObjectKind = keyof Declared;
export const OBJECT_KINDS = Object.keys(CHANGEABLE) as ObjectKind[];

type ValueOf<F> = F extends { schema: infer S extends z.ZodType; clears: infer C }
  ? z.infer<S> | (C extends true ? null : never)
  : never;
/** Fields set by a change, by kind; null takes a field away. */
export type FieldsOf = {
  [K in ObjectKind]: { [F in keyof Declared[K]['fields']]?: ValueOf<Declared[K]['fields'][F]> | undefined };
};

/** Kinds of objects that can be taken away; of others only fields are set. */
export type AwayKind = {
  [K in ObjectKind]: Declared[K]['away'] extends readonly [] ? never : K;
}[ObjectKind];
export const canBeTakenAway = (kind: ObjectKind): kind is AwayKind => CHANGEABLE[kind].away.length > 0;

/** Why undoing cannot put what was taken away back; undefined where it can. */
export const noWayBack = (kind: ObjectKind): string | undefined => {
  const declared: { fields: object; noWayBack?: string } = CHANGEABLE[kind];
  return declared.noWayBack;
};

/** The declarations of a kind's fields, without their own types. */
export const fieldsOf = (kind: ObjectKind): Readonly<Record<string, FieldDeclaration<z.ZodType>>> =>
  CHANGEABLE[kind].fields;

/** The schema of the fields that a change of a kind sets: at least one, and no others. */
export function fieldsSchema<K extends ObjectKind>(kind: K): z.ZodType<FieldsOf[K], FieldsOf[K]> {
  const shape = Object.fromEntries(
    Object.entries(fieldsOf(kind)).map(([name, f]) => [
      name,
      (f.clears ? f.schema.nullable() : f.schema).optional(),
    ]),
  );
  return z.strictObject(shape).refine((set) => Object.keys(set).length > 0, 'sets nothing');
}

/** Whether a field holds unless the row says false; names mean the same in every kind. */
const HOLDING = new Set(
  OBJECT_KINDS.flatMap((k) => Object.entries(fieldsOf(k)).flatMap(([name, f]) => (f.holds ? [name] : []))),
);
export const holdsByDefault = (name: string): boolean => HOLDING.has(name);

/** What setting fields comes to, from what they were: narrower, wider, or neither alone. */
function leadOf(kind: ObjectKind, before: Record<string, unknown>, set: Record<string, unknown>): string {
  const declared = fieldsOf(kind);
  const names = Object.keys(set).filter((name) => set[name] !== undefined);
  const some = (from: Record<string, unknown>, to: Record<string, unknown>): boolean =>
    names.some((name) => declared[name]?.wider?.(from[name], to[name]) === true);
  if (!some(before, set)) return 'Narrow';
  return some(set, before) ? 'Change' : 'Widen';
}

/**
 * What setting some fields of an object does, in words, as something to be done. `before`: the fields as they are,
 * of a grant or a link.
 */
export function setWords(
  kind: ObjectKind,
  set: Record<string, unknown>,
  names: Naming,
  before: Record<string, unknown> = {},
): string {
  const pieces = Object.entries(fieldsOf(kind)).flatMap(([name, f]) =>
    set[name] === undefined ? [] : (f.words(set[name], names, set) ?? []),
  );
  return CHANGEABLE[kind].lead
    ? `${leadOf(kind, before, set)} ${names.what} ${listed(pieces)}`
    : pieces.join('; ');
}

/** The fields of a change with the ids in them put otherwise, as another naming has them. */
export function withNames<T extends object>(
  kind: ObjectKind,
  set: T,
  name: { user(id: string): string; group(id: string): string; recipient(r: object): object },
): T {
  const out = { ...set } as Record<string, unknown>;
  for (const [field, { refers }] of Object.entries(fieldsOf(kind))) {
    const value = out[field];
    if (!refers || value === undefined || value === null) continue;
    out[field] =
      refers === 'user'
        ? name.user(value as string)
        : refers === 'users'
          ? (value as string[]).map((v) => name.user(v))
          : refers === 'groups'
            ? (value as string[]).map((v) => name.group(v))
            : (value as object[]).map((v) => name.recipient(v));
  }
  return out as T;
}
