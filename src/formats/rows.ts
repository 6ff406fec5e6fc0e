/**
 * One Zod schema for each row of the bulk extract and of SCIM 2.0, used wherever rows come in:
 * from connectors and from files. A row that does not fit is rejected with a reason; fields that
 * are not known are dropped.
 */
import { z } from 'zod';
import {
  AUDIENCES,
  EXTERNAL_SHARING,
  ROLES,
  SPACE_KINDS,
  type AppGrantRow,
  type AppRow,
  type GrantRow,
  type GroupRow,
  type ItemRow,
  type LinkRow,
  type PersonRow,
  type SpaceRow,
  type WorkspaceRow,
} from '../core/model.ts';
import { addressName, isAddress } from '../core/access/addresses.ts';
import type { RowKind, RowOf } from '../core/row-kinds.ts';
import { momentOf } from '../core/time.ts';

/** Absent and null are the same. */
const opt = <T extends z.ZodType>(schema: T) => schema.nullish().transform((v) => v ?? undefined);

const id = z.string().min(1).max(512);
const text = z.string().max(4096);
export const timeSchema = z.string().refine((t) => !Number.isNaN(momentOf(t)), 'is not an RFC 3339 time');
const time = timeSchema;

const address = text.refine(isAddress, 'is not an e-mail address');

const listed = (keys: readonly string[], word: string): string =>
  `${keys.slice(0, -1).join(', ')} ${word} ${keys.at(-1)}`;

/** An object with exactly one of some keys, and what that one names. */
export function oneOf<T extends Record<string, z.ZodType>>(keys: T) {
  type One = { [K in keyof T]: { [P in K]: z.infer<T[P]> } }[keyof T];
  const all = Object.keys(keys);
  return z.record(z.string(), z.unknown()).transform((value, context): One => {
    const given = all.filter((key) => value[key] !== undefined && value[key] !== null);
    if (given.length !== 1) {
      context.addIssue(given.length ? `names both ${listed(given, 'and')}` : `names no ${listed(all, 'or')}`);
      return z.NEVER;
    }
    const key = given[0]!;
    const parsed = keys[key]!.safeParse(value[key]);
    if (parsed.success) return { [key]: parsed.data } as One;
    for (const { message, path } of parsed.error.issues)
      context.addIssue({ code: 'custom', message, path: [key, ...path] });
    return z.NEVER;
  });
}

/** A user of the extract, or an address. */
export const ACCOUNT = { user: id, email: address };
const node = oneOf({ space: id, item: id });
const recipient = oneOf({ ...ACCOUNT, group: id });
const grantee = oneOf({
  ...ACCOUNT,
  group: id,
  everyone: z.literal(true),
  domain: text,
  anyone: z.literal(true),
});

/** Names are for people: a row without one is known by its id. */
const named = <T extends { id: string; name?: string | undefined }>(row: T) => ({
  ...row,
  name: row.name ?? row.id,
});

export const workspaceSchema = z
  .object({
    id,
    name: opt(text),
    inheritance: z.enum(['additive', 'breakable']),
    externalSharing: opt(z.enum(EXTERNAL_SHARING)),
    region: opt(text),
  })
  .transform(named) satisfies z.ZodType<WorkspaceRow>;

export const spaceSchema = z
  .object({
    id,
    workspace: id,
    kind: opt(z.enum(SPACE_KINDS)),
    name: opt(text),
    visibility: opt(z.enum(['members', 'organisation'])),
    visibilityRole: opt(z.enum(ROLES)),
    externalSharing: opt(z.enum(EXTERNAL_SHARING)),
    editorsShare: opt(z.boolean()),
    gate: opt(z.array(id)),
    defaultAudience: opt(z.enum(AUDIENCES)),
    dim: opt(z.boolean()),
    archived: opt(z.boolean()),
    binned: opt(z.boolean()),
    noCopies: opt(z.boolean()),
    parts: opt(z.array(id)),
    owners: opt(z.array(id)),
    label: opt(text),
    region: opt(text),
    bytes: opt(z.number()),
    createdAt: opt(time),
    lastActivity: opt(z.object({ files: opt(time), chat: opt(time), mail: opt(time), calendar: opt(time) })),
  })
  .transform((row) => ({ ...named(row), kind: row.kind ?? 'site' })) satisfies z.ZodType<SpaceRow>;

export const itemSchema = z
  .object({
    id,
    space: id,
    parent: opt(id),
    kind: opt(z.enum(['folder', 'file'])),
    name: opt(text),
    mime: opt(text),
    inherits: opt(z.boolean()),
    owner: opt(id),
    held: opt(z.boolean()),
    binned: opt(z.boolean()),
    noCopies: opt(z.boolean()),
    dim: opt(z.boolean()),
    label: opt(text),
    bytes: opt(z.number()),
    createdAt: opt(time),
    modifiedAt: opt(time),
    modifiedBy: opt(id),
  })
  .transform((row) => ({ ...named(row), kind: row.kind ?? 'file' })) satisfies z.ZodType<ItemRow>;

export const grantSchema = z.object({
  id,
  on: node,
  to: grantee,
  role: z.enum(ROLES),
  expiresAt: opt(time),
  grantedBy: opt(id),
  grantedAt: opt(time),
}) satisfies z.ZodType<GrantRow>;

export const linkSchema = z.object({
  id,
  on: node,
  audience: z.enum(AUDIENCES),
  role: z.enum(ROLES),
  recipients: opt(z.array(recipient)),
  redeemedBy: opt(z.array(oneOf(ACCOUNT).and(z.object({ at: opt(time) })))),
  expiresAt: opt(time),
  noCopies: opt(z.boolean()),
  password: opt(z.boolean()),
  createdBy: opt(id),
  createdAt: opt(time),
  lastUsedAt: opt(time),
}) satisfies z.ZodType<LinkRow>;

export const SCIM_USER = 'urn:ietf:params:scim:schemas:core:2.0:User';
export const SCIM_GROUP = 'urn:ietf:params:scim:schemas:core:2.0:Group';
export const SCIM_ENTERPRISE = 'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User';
export const SCIM_IDENTITY = 'urn:gatelantern:scim:1.0:Identity';

/** A SCIM 2.0 User (RFC 7643 §4.1, enterprise extension §4.3) as a person. */
export const personSchema = z
  .object({
    id,
    userName: opt(text),
    displayName: opt(text),
    name: opt(z.object({ formatted: opt(text), givenName: opt(text), familyName: opt(text) })),
    title: opt(text),
    active: opt(z.boolean()),
    emails: opt(z.array(z.object({ value: opt(text) }))),
    [SCIM_ENTERPRISE]: opt(z.object({ department: opt(text), manager: opt(z.object({ value: opt(id) })) })),
    [SCIM_IDENTITY]: opt(z.object({ kind: opt(z.enum(['member', 'guest'])), expiresAt: opt(time) })),
  })
  .transform((u): PersonRow => {
    const addresses = [...(u.emails ?? []).map((e) => e.value ?? ''), u.userName ?? ''].filter(isAddress);
    const full = u.name?.formatted ?? [u.name?.givenName, u.name?.familyName].filter(Boolean).join(' ');
    return {
      id: u.id,
      name: u.displayName ?? (full || (u.userName ?? u.id)),
      addresses: [...new Set(addresses.map(addressName))],
      active: u.active ?? true,
      kind: u[SCIM_IDENTITY]?.kind ?? 'member',
      ...(u[SCIM_IDENTITY]?.expiresAt && { expiresAt: u[SCIM_IDENTITY].expiresAt }),
      ...(u[SCIM_ENTERPRISE]?.department && { department: u[SCIM_ENTERPRISE].department }),
      ...(u[SCIM_ENTERPRISE]?.manager?.value && { manager: u[SCIM_ENTERPRISE].manager.value }),
      ...(u.title && { title: u.title }),
    };
  });

/** A person as a SCIM 2.0 User: read again, it is the same person. */
export const scimUser = (p: PersonRow): object => ({
  schemas: [SCIM_USER, SCIM_ENTERPRISE, SCIM_IDENTITY],
  id: p.id,
  userName: p.addresses[0] ?? p.id.replaceAll('@', '_'),
  displayName: p.name,
  active: p.active,
  emails: p.addresses.map((value) => ({ value })),
  ...(p.title && { title: p.title }),
  ...((p.department ?? p.manager) && {
    [SCIM_ENTERPRISE]: {
      ...(p.department && { department: p.department }),
      ...(p.manager && { manager: { value: p.manager } }),
    },
  }),
  [SCIM_IDENTITY]: { kind: p.kind, ...(p.expiresAt && { expiresAt: p.expiresAt }) },
});

/** A group as a SCIM 2.0 Group: read again, it is the same group. */
export const scimGroup = (g: GroupRow): object => ({
  schemas: [SCIM_GROUP, SCIM_IDENTITY],
  id: g.id,
  displayName: g.name,
  members: g.members,
  ...(g.rule && { [SCIM_IDENTITY]: { rule: g.rule } }),
});

/** A SCIM 2.0 Group (RFC 7643 §4.2). */
export const groupSchema = z
  .object({
    id,
    displayName: opt(text),
    members: opt(z.array(z.object({ value: id, type: opt(z.enum(['User', 'Group'])) }))),
    [SCIM_IDENTITY]: opt(z.object({ rule: opt(text) })),
  })
  .transform((g): GroupRow => ({
    id: g.id,
    name: g.displayName ?? g.id,
    members: (g.members ?? []).map((m) => (m.type ? { value: m.value, type: m.type } : { value: m.value })),
    ...(g[SCIM_IDENTITY]?.rule && { rule: g[SCIM_IDENTITY].rule }),
  }));

const appSchema = z
  .object({
    id,
    workspace: id,
    name: opt(text),
    publisher: opt(text),
    verified: opt(z.boolean()),
    homepage: opt(text),
    redirectHosts: opt(z.array(text).max(100)),
    category: opt(text),
    createdAt: opt(time),
  })
  .transform(named) satisfies z.ZodType<AppRow>;

const appGrantSchema = z
  .object({
    id,
    app: id,
    workspace: id,
    user: opt(id),
    everyone: opt(z.boolean()),
    scopes: z.array(text).max(200),
    offline: opt(z.boolean()),
    grantedAt: opt(time),
    grantedBy: opt(id),
    lastUsedAt: opt(time),
    device: opt(text),
    address: opt(text),
  })
  .refine((g) => (g.user !== undefined) !== (g.everyone === true), {
    message: 'is either of a user or for everyone',
  }) satisfies z.ZodType<AppGrantRow>;

/** The schema of each kind of row. */
export const ROW_SCHEMAS: { [K in RowKind]: z.ZodType<RowOf[K]> } = {
  person: personSchema,
  group: groupSchema,
  space: spaceSchema,
  item: itemSchema,
  grant: grantSchema,
  link: linkSchema,
  app: appSchema,
  appGrant: appGrantSchema,
};

/** Attributes of SCIM resources that are let be (RFC 7643 §3.1, §4.1). */
const SCIM_COMMON = ['schemas', 'externalId', 'meta'];
const SCIM_USERS =
  'nickName profileUrl userType preferredLanguage locale timezone password phoneNumbers ims photos addresses groups entitlements roles x509Certificates'.split(
    ' ',
  );

/** The fields that a kind of row may have in an extract. */
export function fieldsOf(kind: RowKind): ReadonlySet<string> {
  const schema: z.ZodType = ROW_SCHEMAS[kind];
  const { shape } = (schema instanceof z.ZodPipe ? schema.in : schema) as z.ZodObject;
  const scim = { person: [...SCIM_COMMON, ...SCIM_USERS], group: SCIM_COMMON } as Partial<
    Record<RowKind, string[]>
  >;
  return new Set([...Object.keys(shape), ...(scim[kind] ?? [])]);
}

/** A schema's complaint about one row, in one line. */
export function complaint(error: z.ZodError): string {
  const first = error.issues[0]!;
  return `${first.path.join('.') || 'the row'}: ${first.message}`;
}
