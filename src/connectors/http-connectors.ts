/** Connectors over HTTP: a SCIM 2.0 directory, workspaces of drives and of sites, and one of channels (docs/connectors.md). */
import { z } from 'zod';
import type { GrantRow, ItemRow, PersonRow, SpaceRow } from '../core/model.ts';
import type { FieldsOf, SourceKind } from '../core/remedy/fields.ts';
import { memberOf } from '../core/remedy/plan.ts';
import { activityOf, eventSchema } from '../formats/activity.ts';
import {
  complaint,
  grantSchema,
  itemSchema,
  personSchema,
  ROW_SCHEMAS,
  SCIM_IDENTITY,
  spaceSchema,
  workspaceSchema,
} from '../formats/rows.ts';
import { addressName } from '../core/access/addresses.ts';
import { FEED_KINDS, ROW_KINDS, type FeedKind, type RowOf, type WorkspaceKind } from '../core/row-kinds.ts';
import { HttpClient, type HttpOptions } from './http.ts';
import {
  ConnectorError,
  type About,
  type ActivityRow,
  type Changeable,
  type Changed,
  type DirectoryConnector,
  type ObjectRef,
  type Page,
  type Seen,
  type WorkspaceConnector,
} from './port.ts';

/** An account of a workspace's own; the person is known by the address. */
const accountSchema = z
  .object({
    id: z.string().min(1).max(512),
    address: z.string().max(4096),
    name: z.string().max(4096),
    active: z.boolean(),
    external: z.boolean(),
  })
  .transform((a): PersonRow => ({
    id: a.id,
    name: a.name,
    addresses: [addressName(a.address)],
    active: a.active,
    kind: a.external ? 'guest' : 'member',
  }));

function understood<T>(schema: z.ZodType<T>, value: unknown, what: string): T {
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  throw new ConnectorError(
    'not-understood',
    `The workspace’s ${what} is not as agreed: ${complaint(parsed.error)}.`,
  );
}

/** So many pages in a row without a new row are taken as a circle. */
const MOST_BARREN = 20;

const idOf = (row: unknown): string => {
  const id = (row as { id?: unknown } | null)?.id;
  return typeof id === 'string' ? id : '(no id)';
};

/** Sorts the rows of one page into those that fit and those that do not, leaving out ids seen before. */
function sift<Row extends { id: string }>(
  schema: z.ZodType<Row>,
  rows: unknown[],
  seen: Set<string>,
  total?: number,
): Page<Row> {
  const raw: unknown[] = [];
  const page: Page<Row> = { rows: [], raw, rejected: [], ...(total !== undefined && { total }) };
  for (const row of rows) {
    const parsed = schema.safeParse(row);
    if (!parsed.success) {
      page.rejected.push({ id: idOf(row), reason: complaint(parsed.error) });
      continue;
    }
    if (seen.has(parsed.data.id)) continue;
    seen.add(parsed.data.id);
    page.rows.push(parsed.data);
    raw.push(row);
  }
  return page;
}

const scimPage = z.object({ totalResults: z.number().int(), Resources: z.array(z.unknown()).default([]) });

/** What became of a write, by its status. */
const outcome = (status: number): 'done' | 'absent' | 'moved' =>
  status === 404 ? 'absent' : status === 412 ? 'moved' : 'done';

const scimGroupMembers = z.object({
  members: z.array(z.object({ value: z.string(), type: z.enum(['User', 'Group']).optional() })).default([]),
});
const PATCH_OP = 'urn:ietf:params:scim:api:messages:2.0:PatchOp';

/**
 * A directory that speaks SCIM 2.0 (RFC 7644 §3.4.2: paging by startIndex and count; §3.5.2: PATCH;
 * §3.14: versions).
 */
export function scimDirectory(options: HttpOptions): DirectoryConnector {
  const http = new HttpClient(options);
  const patch = async (path: string, operations: object[], key: string, version?: string) =>
    outcome(
      (
        await http.request('PATCH', path, {
          key,
          version,
          json: {
            type: 'application/scim+json',
            body: { schemas: [PATCH_OP], Operations: operations },
          },
          accept: [404, 412],
        })
      ).status,
    );
  const groupPath = (ref: ObjectRef): string => `/Groups/${encodeURIComponent(memberOf(ref.id)[0])}`;
  const memberIn = async (ref: ObjectRef) => {
    const answer = await http.request('GET', groupPath(ref), { accept: [404] });
    if (answer.status === 404) return undefined;
    const { members } = understood(scimGroupMembers, await answer.json(), 'group');
    return { row: members.find((m) => m.value === memberOf(ref.id)[1]), version: answer.etag };
  };
  return {
    async read(ref) {
      if (ref.kind === 'member') {
        const seen = await memberIn(ref);
        return seen?.row ? { row: seen.row, version: seen.version } : null;
      }
      const answer = await http.request('GET', `/Users/${encodeURIComponent(ref.id)}`, { accept: [404] });
      if (answer.status === 404) return null;
      return { row: understood(personSchema, await answer.json(), 'person'), version: answer.etag };
    },
    async withdraw(ref, key, version) {
      const value = JSON.stringify(memberOf(ref.id)[1]);
      return patch(groupPath(ref), [{ op: 'remove', path: `members[value eq ${value}]` }], key, version);
    },
    async restore(ref, before, key) {
      if ((await memberIn(ref))?.row) return 'present';
      await patch(groupPath(ref), [{ op: 'add', path: 'members', value: [before] }], key);
      return 'done';
    },
    async set(ref, fields, key, version) {
      const operations = Object.entries(fields).map(([field, value]) => {
        const path = field === 'active' ? 'active' : `${SCIM_IDENTITY}:${field}`;
        return value === null ? { op: 'remove', path } : { op: 'replace', path, value: value as unknown };
      });
      return patch(`/Users/${encodeURIComponent(ref.id)}`, operations, key, version);
    },
    async *list(kind) {
      const seen = new Set<string>();
      const path = kind === 'person' ? '/Users' : '/Groups';
      for (let startIndex = 1; ;) {
        const page = understood(
          scimPage,
          await http.getJson(`${path}?startIndex=${startIndex}&count=200`),
          'list',
        );
        yield sift<RowOf[typeof kind]>(ROW_SCHEMAS[kind], page.Resources, seen, page.totalResults);
        startIndex += page.Resources.length;
        if (page.Resources.length === 0 || startIndex > page.totalResults) return;
      }
    },
  };
}

const aboutSchema = z.object({
  organisation: z.object({
    name: z.string(),
    domains: z.array(z.string()),
    partnerDomains: z.array(z.string()),
  }),
  workspace: workspaceSchema,
  changeToken: z.string(),
});
const listSchema = z.object({
  rows: z.array(z.unknown()),
  next: z.string().nullable(),
  total: z.number().optional(),
});
const changesSchema = z.object({
  changes: z.array(z.object({ kind: z.string(), id: z.string(), row: z.unknown() })),
  changeToken: z.string(),
  more: z.boolean().default(false),
});
const activitySchema = z.object({ events: z.array(z.unknown()), next: z.string(), more: z.boolean() });

/** What workspaces over HTTP have in common, whatever they call things. */
abstract class HttpWorkspace implements WorkspaceConnector {
  protected readonly http: HttpClient;

  constructor(options: HttpOptions) {
    this.http = new HttpClient(options);
  }

  abstract list<K extends WorkspaceKind>(kind: K): AsyncGenerator<Page<RowOf[K]>>;
  /** Our kind, and the schema, of what the workspace calls by a name; undefined where we do not read it. */
  protected abstract kindOf(name: string): { kind: FeedKind; schema: z.ZodType<{ id: string }> } | undefined;
  /** Where an object is asked for. */
  protected abstract pathOf(ref: ObjectRef): string;
  protected abstract contentPath(item: string): string;
  protected abstract objectSchema(kind: ObjectRef['kind']): z.ZodType<object>;
  /** Fields as the workspace calls them. */
  protected abstract written(ref: ObjectRef, fields: object): object;

  async about(): Promise<About> {
    return understood(aboutSchema, await this.http.getJson('/about'), 'description');
  }

  /** All pages of a collection, each row by a schema. */
  protected async *pages<Row extends { id: string }>(
    collection: string,
    schema: z.ZodType<Row>,
  ): AsyncGenerator<Page<Row>> {
    const seen = new Set<string>();
    let barren = 0;
    let cursor: string | null = null;
    do {
      const at: string = cursor === null ? '' : `&cursor=${encodeURIComponent(cursor)}`;
      const page: z.infer<typeof listSchema> = understood(
        listSchema,
        await this.http.getJson(`/${collection}?limit=200${at}`),
        'list',
      );
      const before = seen.size;
      yield sift(schema, page.rows, seen, page.total);
      cursor = page.next;
      // a page may come twice; pages that never bring anything new lead nowhere
      barren = seen.size > before ? 0 : barren + 1;
      if (barren > MOST_BARREN)
        throw new ConnectorError(
          'not-understood',
          `The workspace’s pages of ${collection} go on without bringing anything new.`,
        );
    } while (cursor !== null);
  }

  async *changesSince(token: string): ReturnType<WorkspaceConnector['changesSince']> {
    for (let more = true; more;) {
      const answer = await this.http.request('GET', `/changes?since=${encodeURIComponent(token)}`, {
        accept: [410],
      });
      if (answer.status === 410) {
        await answer.body?.cancel();
        throw new ConnectorError('token-expired', 'The workspace does not know the change token any more.');
      }
      const part = understood(changesSchema, await answer.json(), 'list of changes');
      if (part.more && part.changeToken === token)
        throw new ConnectorError('not-understood', 'The workspace’s changes go on without an end.');
      token = part.changeToken;
      more = part.more;
      const changes: Changed[] = [];
      const rejected: Page<never>['rejected'] = [];
      for (const c of part.changes) {
        const known = this.kindOf(c.kind);
        if (!known) continue;
        const parsed = c.row === null ? undefined : known.schema.safeParse(c.row);
        if (parsed && !parsed.success) rejected.push({ id: c.id, reason: complaint(parsed.error) });
        else changes.push({ kind: known.kind, id: c.id, row: parsed?.data ?? null } as Changed);
      }
      yield { changes, rejected, changeToken: token };
    }
  }

  async *activity(since: string): AsyncGenerator<{ rows: ActivityRow[]; next: string }> {
    for await (const { events, next } of this.eventsOf('/activity', since))
      yield {
        rows: events.flatMap((e) => {
          const parsed = eventSchema.safeParse(e);
          return parsed.success ? (activityOf(parsed.data) ?? []) : [];
        }),
        next,
      };
  }

  happened(since: string): AsyncGenerator<{ events: unknown[]; next: string }> {
    return this.eventsOf('/events', since);
  }

  private async *eventsOf(path: string, since: string): AsyncGenerator<{ events: unknown[]; next: string }> {
    for (let more = true; more;) {
      const part = understood(
        activitySchema,
        await this.http.getJson(`${path}?since=${encodeURIComponent(since)}`),
        'list of what happened',
      );
      if (part.more && part.next === since)
        throw new ConnectorError(
          'not-understood',
          'What the workspace says happened goes on without an end.',
        );
      since = part.next;
      more = part.more;
      yield { events: part.events, next: since };
    }
  }

  async content(item: string): Promise<AsyncIterable<Uint8Array> | undefined> {
    const answer = await this.http.request('GET', this.contentPath(item), {
      accept: [404],
      timeLimit: 120_000,
    });
    return answer.status === 404 || !answer.body ? undefined : answer.body;
  }

  async read(ref: ObjectRef): Promise<Seen | null> {
    const answer = await this.http.request('GET', this.pathOf(ref), { accept: [404] });
    return answer.status === 404
      ? null
      : {
          row: understood(this.objectSchema(ref.kind), await answer.json(), ref.kind),
          version: answer.etag,
        };
  }

  async withdraw(ref: ObjectRef, key: string, version?: string): Promise<'done' | 'absent' | 'moved'> {
    const more = { key, version, accept: [404, 412] };
    return outcome((await this.http.request('DELETE', this.pathOf(ref), more)).status);
  }

  /** JSON Merge Patch (RFC 7396): null takes a field away. */
  async set(
    ref: ObjectRef,
    fields: object,
    key: string,
    version?: string,
  ): Promise<'done' | 'absent' | 'moved'> {
    const json = { type: 'application/merge-patch+json', body: this.written(ref, fields) };
    const more = { key, version, json, accept: [404, 412] };
    return outcome((await this.http.request('PATCH', this.pathOf(ref), more)).status);
  }

  async restore(ref: ObjectRef, _before: object, key: string): Promise<'done' | 'present'> {
    const { status } = await this.http.request('POST', `${this.pathOf(ref)}/restore`, { key, accept: [409] });
    return status === 409 ? 'present' : 'done';
  }
}

const WORKSPACE_SCHEMAS: typeof ROW_SCHEMAS = { ...ROW_SCHEMAS, person: accountSchema };

/** Drives, whose people are the directory's; and sites, which have accounts of their own. */
class RowsWorkspace extends HttpWorkspace {
  constructor(
    options: HttpOptions,
    private readonly accounts: boolean,
  ) {
    super(options);
  }

  async *list<K extends WorkspaceKind>(kind: K): AsyncGenerator<Page<RowOf[K]>> {
    if (kind === 'person' && !this.accounts) return;
    yield* this.pages<RowOf[K]>(ROW_KINDS[kind].collection.name, WORKSPACE_SCHEMAS[kind]);
  }
  protected kindOf(name: string) {
    const kind = FEED_KINDS.find((k) => ROW_KINDS[k].collection.name === name);
    return kind && { kind, schema: ROW_SCHEMAS[kind] as z.ZodType<{ id: string }> };
  }
  protected pathOf(ref: ObjectRef): string {
    return `/${ROW_KINDS[ref.kind as WorkspaceKind].collection.name}/${encodeURIComponent(ref.id)}`;
  }
  protected written(_ref: ObjectRef, fields: object): object {
    return fields;
  }
  protected contentPath(item: string): string {
    return `/items/${encodeURIComponent(item)}/content`;
  }
  protected objectSchema(kind: ObjectRef['kind']): z.ZodType<object> {
    return ROW_SCHEMAS[kind as WorkspaceKind];
  }
}

const name = z.string().min(1).max(512);
const maybe = <T extends z.ZodType>(schema: T) => schema.nullish().transform((v) => v ?? undefined);
const text = z.string().max(4096);

/** A row made here is held to the same schema as one that comes in. */
const checked = <T>(schema: z.ZodType<T>) => schema as z.ZodType<T, T>;

/** A channel is a space: an open one is seen by the whole organisation, who may comment. */
const channelSchema = z
  .object({
    id: name,
    name: text,
    open: z.boolean(),
    responsible: maybe(z.array(name)),
    created: maybe(text),
    lastMessage: maybe(text),
    archived: maybe(z.boolean()),
    binned: maybe(z.boolean()),
  })
  .transform((c): SpaceRow => ({
    id: c.id,
    workspace: 'channels',
    kind: 'channel',
    name: c.name,
    visibility: c.open ? 'organisation' : 'members',
    ...(c.open && { visibilityRole: 'commenter' as const }),
    ...(c.responsible && { owners: c.responsible }),
    ...(c.created && { createdAt: c.created }),
    ...(c.lastMessage && { lastActivity: { chat: c.lastMessage } }),
    ...(c.archived && { archived: true }),
    ...(c.binned && { binned: true }),
  }))
  .pipe(checked(spaceSchema));

/** Being in a channel is a grant on it: who leads it manages it, others edit. */
const memberSchema = z
  .object({ id: name, channel: name, leads: z.boolean(), since: maybe(text) })
  .transform((m): GrantRow => ({
    id: `${m.channel}/${m.id}`,
    on: { space: m.channel },
    to: { user: m.id },
    role: m.leads ? 'manager' : 'editor',
    ...(m.since && { grantedAt: m.since }),
  }))
  .pipe(checked(grantSchema));

const fileSchema = z
  .object({
    id: name,
    channel: name,
    name: text,
    type: maybe(text),
    size: maybe(z.number()),
    label: maybe(text),
    postedBy: maybe(name),
    postedAt: maybe(text),
    changedAt: maybe(text),
    held: maybe(z.boolean()),
    binned: maybe(z.boolean()),
  })
  .transform((f): ItemRow => ({
    id: f.id,
    space: f.channel,
    kind: 'file',
    name: f.name,
    ...(f.type && { mime: f.type }),
    ...(f.size !== undefined && { bytes: f.size }),
    ...(f.label && { label: f.label }),
    ...(f.postedBy && { owner: f.postedBy }),
    ...(f.postedAt && { createdAt: f.postedAt }),
    ...(f.changedAt && { modifiedAt: f.changedAt }),
    ...(f.held && { held: true }),
    ...(f.binned && { binned: true }),
  }))
  .pipe(checked(itemSchema));

/** What channels write as an extract does. */
const AS_ROWS = ['app', 'appGrant'] as const;

/** Channels with members and files; access is being a member, and there are no links. */
class ChannelsWorkspace extends HttpWorkspace {
  async *list<K extends WorkspaceKind>(kind: K): AsyncGenerator<Page<RowOf[K]>> {
    const as = <Row extends { id: string }>(collection: string, schema: z.ZodType<Row>) =>
      this.pages(collection, schema) as unknown as AsyncGenerator<Page<RowOf[K]>>;
    if (kind === 'person') yield* as('accounts', accountSchema);
    else if (kind === 'space') yield* as('channels', channelSchema);
    else if (kind === 'grant') yield* as('members', memberSchema);
    else if (kind === 'item') yield* as('files', fileSchema);
    else if (AS_ROWS.some((k) => k === kind))
      yield* this.pages<RowOf[K]>(ROW_KINDS[kind].collection.name, WORKSPACE_SCHEMAS[kind]);
  }
  protected kindOf(name: string) {
    if (name === 'channel') return { kind: 'space' as const, schema: channelSchema };
    if (name === 'file') return { kind: 'item' as const, schema: fileSchema };
    if (name === 'member') return { kind: 'grant' as const, schema: memberSchema };
    const kind = AS_ROWS.find((k) => ROW_KINDS[k].collection.name === name);
    return kind && { kind, schema: WORKSPACE_SCHEMAS[kind] };
  }
  protected pathOf(ref: ObjectRef): string {
    if (ref.kind === 'space') return `/channels/${encodeURIComponent(ref.id)}`;
    if (ref.kind === 'item') return `/files/${encodeURIComponent(ref.id)}`;
    if (ref.kind === 'appGrant')
      return `/${ROW_KINDS.appGrant.collection.name}/${encodeURIComponent(ref.id)}`;
    const [channel, account] = ref.id.split('/') as [string, string];
    return `/channels/${encodeURIComponent(channel)}/members/${encodeURIComponent(account)}`;
  }
  async post(channel: string, text: string, key: string): Promise<void> {
    await this.http.request('POST', `/channels/${encodeURIComponent(channel)}/messages`, {
      key,
      json: { type: 'application/json', body: { text } },
    });
  }
  protected contentPath(item: string): string {
    return `/files/${encodeURIComponent(item)}/content`;
  }
  protected objectSchema(kind: ObjectRef['kind']): z.ZodType<object> {
    if (kind === 'appGrant') return ROW_SCHEMAS.appGrant;
    return kind === 'space' ? channelSchema : kind === 'item' ? fileSchema : memberSchema;
  }
  protected written(ref: ObjectRef, fields: object): object {
    const { role } = fields as FieldsOf['grant'];
    const { visibility, owners, archived, binned } = fields as FieldsOf['space'];
    if (ref.kind === 'grant') return { leads: role === 'manager' };
    if (ref.kind === 'item') return fields;
    return {
      ...(visibility !== undefined && { open: visibility === 'organisation' }),
      ...(owners !== undefined && { responsible: owners }),
      ...(archived !== undefined && { archived }),
      ...(binned !== undefined && { binned }),
    };
  }
}

/** The connector of each kind of workspace. */
export function connectWorkspace(
  kind: 'drives' | 'sites' | 'channels',
  options: HttpOptions,
): WorkspaceConnector {
  return kind === 'channels' ? new ChannelsWorkspace(options) : new RowsWorkspace(options, kind === 'sites');
}

/** Where the objects of a source are changed; undefined for an extract, which has no workspace behind it. */
export function connectForChange(kind: SourceKind, options: HttpOptions): Changeable | undefined {
  if (kind === 'extract') return undefined;
  return kind === 'directory' ? scimDirectory(options) : connectWorkspace(kind, options);
}
