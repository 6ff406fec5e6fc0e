/**
 * The simulated workspaces: a process of its own that speaks HTTP.
 *
 *   /scim/v2/Users, /scim/v2/Groups   a directory (SCIM 2.0: RFC 7643, RFC 7644)
 *   /drives/v1/…                      shared and personal drives, inheritance additive
 *   /sites/v1/…                       sites and teams, where folders may break inheritance
 *   /channels/v1/…                    channels with members and files
 *   /control/faults, /control/truth   for tests: misbehave on demand; what is really set
 *   /control/forget                   change tokens given so far are known no more
 *   /control/outbox                   messages that the workspaces sent of themselves
 *
 *   tsx standins/server.ts --extract DIR --state DIR --port N --token T --control-token T
 */
import { createHash } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { parseArgs } from 'node:util';
import { fieldsOf, type SourceKind } from '../src/core/remedy/fields.ts';
import { Faults, type FaultRule } from './faults.ts';
import { State, type Kind, type Row } from './state.ts';

const { values: args } = parseArgs({
  options: {
    extract: { type: 'string' },
    state: { type: 'string' },
    port: { type: 'string', default: '0' },
    token: { type: 'string' },
    'control-token': { type: 'string' },
  },
});
const state = new State(args.extract!, args.state!);
const faults = new Faults();
const SCIM = 'urn:ietf:params:scim:api:messages:2.0';
const PAGE = 200;

class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

const json = (res: ServerResponse, status: number, body: unknown, type = 'application/json'): void => {
  res.writeHead(status, { 'content-type': type }).end(JSON.stringify(body));
};

async function bodyOf(req: IncomingMessage): Promise<unknown> {
  let text = '';
  for await (const chunk of req) {
    text += String(chunk);
    if (text.length > 1_000_000) throw new Refusal(413, 'The body is too large.');
  }
  return text ? (JSON.parse(text) as unknown) : undefined;
}

/** RFC 7644 §3.4.2: filtering by one `attribute eq "value"`, paging by startIndex and count. */
async function scim(
  req: IncomingMessage,
  res: ServerResponse,
  url: URL,
  kind: 'users' | 'groups',
): Promise<void> {
  const id = url.pathname.split('/')[4];
  if (id && req.method === 'PATCH') {
    const row = state.rows[kind].get(decodeURIComponent(id));
    return write(req, res, kind, row, scimPatched((await bodyOf(req)) as ScimPatch));
  }
  if (id) {
    const row = state.rows[kind].get(decodeURIComponent(id));
    if (!row)
      return json(
        res,
        404,
        { schemas: [`${SCIM}:Error`], status: '404', detail: 'There is no such resource.' },
        'application/scim+json',
      );
    res.setHeader('etag', versionOf(row));
    return json(res, 200, row, 'application/scim+json');
  }
  let rows = [...state.rows[kind].values()];
  const filter = url.searchParams.get('filter');
  if (filter) {
    const m = /^([A-Za-z.]+) eq (".*"|true|false)$/i.exec(filter);
    if (!m)
      return json(
        res,
        400,
        {
          schemas: [`${SCIM}:Error`],
          status: '400',
          scimType: 'invalidFilter',
          detail: 'Only eq filters are understood.',
        },
        'application/scim+json',
      );
    const wanted = JSON.parse(m[2]!) as unknown;
    const same = (v: unknown): boolean =>
      typeof v === 'string' && typeof wanted === 'string'
        ? v.toLowerCase() === wanted.toLowerCase()
        : v === wanted;
    rows = rows.filter((r) => {
      const values = m[1]!
        .split('.')
        .reduce<unknown[]>((at, name) => at.flatMap((v) => (v as Row)?.[name] ?? []).flat(), [r]);
      return values.some(same);
    });
  }
  const startIndex = Math.max(1, Number(url.searchParams.get('startIndex') ?? 1));
  const count = Math.max(0, Math.min(PAGE, Number(url.searchParams.get('count') ?? PAGE)));
  const Resources = rows.slice(startIndex - 1, startIndex - 1 + count);
  json(
    res,
    200,
    {
      schemas: [`${SCIM}:ListResponse`],
      totalResults: rows.length,
      startIndex,
      itemsPerPage: Resources.length,
      Resources,
    },
    'application/scim+json',
  );
}

/** Pages of a list; the cursor names the position and the last id given, so that it can be resumed. */
function list(url: URL, all: Row[], repeat: boolean): { rows: Row[]; next: string | null; total: number } {
  const limit = Math.max(1, Math.min(PAGE, Number(url.searchParams.get('limit') ?? PAGE)));
  const cursor = url.searchParams.get('cursor');
  let from = 0;
  if (cursor) {
    const [position, last] = JSON.parse(Buffer.from(cursor, 'base64url').toString()) as [number, string];
    const at = all.findIndex((r) => r.id === last);
    from = at >= 0 ? at + 1 : position;
  }
  if (repeat) from = Math.max(0, from - limit);
  const rows = all.slice(from, from + limit);
  const end = from + rows.length;
  const next =
    end < all.length
      ? Buffer.from(JSON.stringify([end, rows[rows.length - 1]!.id])).toString('base64url')
      : null;
  return { rows, next, total: all.length };
}

/** How a workspace writes its rows, beside those of the extract. */
interface Dialect {
  /** What it puts before a user's id to make the id of an account; undefined: it uses the directory's. */
  accounts?: string;
}
const WORKSPACES: Record<string, Dialect> = {
  drives: {},
  sites: { accounts: 'a-' },
  channels: { accounts: 'c-' },
};

const USER_FIELDS = ['owner', 'modifiedBy', 'grantedBy', 'createdBy', 'user'];

/** A row with the ids of users written as those of accounts. */
function asAccounts(prefix: string, value: unknown, seen?: Set<string>): unknown {
  if (Array.isArray(value)) return value.map((v) => asAccounts(prefix, v, seen));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([k, v]) => {
      const ids = k === 'owners' && Array.isArray(v) ? (v as string[]) : undefined;
      if (USER_FIELDS.includes(k) && typeof v === 'string') seen?.add(v);
      ids?.forEach((id) => seen?.add(id));
      if (USER_FIELDS.includes(k) && typeof v === 'string') return [k, prefix + v];
      return [k, ids ? ids.map((id) => prefix + id) : asAccounts(prefix, v, seen)];
    }),
  );
}

const KINDS_OF_ROWS = ['spaces', 'items', 'grants', 'links'] as const;
const rowsOf = (kind: Kind, workspace: string): Row[] =>
  [...state.rows[kind].values()].filter((r) => state.workspaceOf(kind, r) === workspace);

/** Everybody a workspace's rows name, as its own accounts. */
function accountsOf(workspace: string, prefix: string): Row[] {
  const seen = new Set<string>();
  for (const kind of KINDS_OF_ROWS) for (const r of rowsOf(kind, workspace)) asAccounts(prefix, r, seen);
  const own = new Map(state.accounts.filter((a) => a.workspace === workspace).map((a) => [a.id, a]));
  return [...seen].sort().flatMap((id): Row[] => {
    const mine = own.get(id);
    if (mine)
      return [
        { id: prefix + id, address: mine.address, name: mine.name, active: true, external: mine.external },
      ];
    const user = state.rows.users.get(id);
    if (!user) return [];
    const identity = user['urn:gatelantern:scim:1.0:Identity'] as { kind?: string } | undefined;
    const address = String(user.userName);
    return [
      {
        id: prefix + id,
        // addresses are the same without regard to case
        address: address[0]!.toUpperCase() + address.slice(1),
        name: String(user.displayName),
        active: user.active !== false,
        external: identity?.kind === 'guest',
      },
    ];
  });
}

/** Who opened and edited what in a workspace, as CloudEvents, from a position on. */
function activity(res: ServerResponse, url: URL, workspace: string, prefix: string | undefined): void {
  const since = Number(url.searchParams.get('since') ?? 0);
  const mine = state.activity.slice(since, since + 2000);
  json(res, 200, {
    events: mine
      .filter((e) => state.workspaceOf('items', state.rows.items.get(e.subject)) === workspace)
      .map((e) => (prefix ? { ...e, data: asAccounts(prefix, e.data) } : e)),
    next: String(since + mine.length),
    more: since + mine.length < state.activity.length,
  });
}

/** Whether an item, or a folder above it, is in the held area. */
function isHeld(row: Row): boolean {
  for (let at: Row | undefined = row; at; at = state.rows.items.get(at.parent as string))
    if (at.held) return true;
  return false;
}

function content(res: ServerResponse, id: string): void {
  const row = state.rows.items.get(id);
  const text = state.content.get(id);
  if (!row || text === undefined) throw new Refusal(404, 'This item has no content here.');
  if (isHeld(row)) throw new Refusal(423, 'It is in quarantine.');
  res
    .writeHead(200, { 'content-type': typeof row.mime === 'string' ? row.mime : 'application/octet-stream' })
    .end(text);
}

/** A row's entity tag. */
const versionOf = (row: Row): string =>
  `"${createHash('sha256').update(JSON.stringify(row)).digest('base64url').slice(0, 16)}"`;

/** A change needs a key; the same key is answered as before and does nothing again. */
function keyOf(req: IncomingMessage): string {
  const key = req.headers['idempotency-key'];
  if (typeof key !== 'string' || !key) throw new Refusal(400, 'A change needs an Idempotency-Key.');
  return key;
}

/** RFC 9110 §13.1.1: a change to another version than that named is refused. */
function mustMatch(req: IncomingMessage, row: Row | undefined): void {
  const wanted = req.headers['if-match'];
  if (wanted && row && wanted !== versionOf(row)) throw new Refusal(412, 'It is of another version by now.');
}

/** Sets fields of a row, once for each key. */
function write(
  req: IncomingMessage,
  res: ServerResponse,
  kind: Kind,
  row: Row | undefined,
  changed: (row: Row) => Row,
): void {
  const key = keyOf(req);
  if (state.seen(key)) return json(res, 200, { applied: false, repeated: true });
  if (!row) throw new Refusal(404, 'There is no such object.');
  mustMatch(req, row);
  state.change({ key, kind, id: row.id, op: 'put', row: changed(row) });
  json(res, 200, { applied: true });
}

/** RFC 7396: null takes a field away. Fields that this workspace cannot set are refused. */
const merged =
  (body: unknown, able: readonly string[]) =>
  (row: Row): Row => {
    const fields = Object.entries(body as Row);
    const not = fields.find(([k]) => !able.includes(k));
    if (not) throw new Refusal(422, `${not[0]} cannot be set here.`);
    return Object.fromEntries(
      Object.entries({ ...row, ...Object.fromEntries(fields) }).filter(([, v]) => v !== null),
    ) as Row;
  };

interface ScimPatch {
  Operations: { op: string; path: string; value?: unknown }[];
}
const IDENTITY = 'urn:gatelantern:scim:1.0:Identity';
/** RFC 7644 §3.5.2, as far as it is asked for here: members, active, and when an account ends. */
const scimPatched =
  ({ Operations }: ScimPatch) =>
  (row: Row): Row => {
    const out = structuredClone(row);
    for (const { op, path, value } of Operations) {
      const member = /^members\[value eq (".*")\]$/.exec(path);
      const members = (out.members ?? []) as { value: string }[];
      if (member && op === 'remove') {
        const gone = JSON.parse(member[1]!) as string;
        if (!members.some((m) => m.value === gone)) throw new Refusal(404, 'They are not in this group.');
        out.members = members.filter((m) => m.value !== gone);
      } else if (path === 'members' && op === 'add') {
        const more = value as { value: string }[];
        out.members = [...members.filter((m) => !more.some((x) => x.value === m.value)), ...more];
      } else if (path === 'active' && op === 'replace') out.active = value;
      else if (path === `${IDENTITY}:expiresAt`) {
        const identity = { ...(out[IDENTITY] as object), expiresAt: value };
        if (op === 'remove') delete (identity as { expiresAt?: unknown }).expiresAt;
        else tell('guest', out.id, `The account ends on ${String(value)}.`);
        out[IDENTITY] = identity;
      } else throw new Refusal(400, `${op} ${path} is not understood.`);
    }
    return out;
  };

/** Messages that the workspaces send of themselves. */
const outbox: { to: string; about: string; text: string }[] = [];
const tell = (to: string, about: string, text: string): void => void outbox.push({ to, about, text });

/** What a workspace can set of the rows of a collection. */
const OBJECT_OF = { grants: 'grant', links: 'link', spaces: 'space', items: 'item' } as const;
const ableTo = (workspace: string, kind: keyof typeof OBJECT_OF): string[] =>
  Object.entries(fieldsOf(OBJECT_OF[kind])).flatMap(([name, f]) =>
    f.able.includes(workspace as SourceKind) ? [name] : [],
  );

/** Takes a grant or link away, or puts it back, once for each key. */
function alter(
  req: IncomingMessage,
  res: ServerResponse,
  kind: 'grants' | 'links',
  id: string,
  restore: boolean,
): void {
  const row = state.rows[kind].get(id);
  const key = keyOf(req);
  if (state.seen(key)) return json(res, 200, { applied: false, repeated: true });
  if (req.method === 'DELETE' && !restore) {
    if (!row) throw new Refusal(404, 'There is no such object.');
    mustMatch(req, row);
    state.change({ key, kind, id, op: 'delete' });
    if (state.workspaceOf(kind, row) === 'channels') tell('channel', id, 'They have left.');
    return json(res, 200, { applied: true });
  }
  if (req.method === 'POST' && restore) {
    if (row) throw new Refusal(409, 'It is there already.');
    if (!state.wasRemoved(kind, id)) throw new Refusal(404, 'Nothing of that id was removed.');
    state.change({ key, kind, id, op: 'restore' });
    return json(res, 200, { applied: true });
  }
  throw new Refusal(405, 'This cannot be done to it.');
}

function changes(
  url: URL,
  workspace: string,
  write: (kind: Kind, row: Row) => { kind: string; id: string; row: unknown },
): object {
  const limit = Math.max(1, Number(url.searchParams.get('limit') ?? 500));
  const since = state.changesSince(url.searchParams.get('since') ?? '0', limit);
  if (!since) throw new Refusal(410, 'This change token is no longer known: read everything.');
  return {
    changes: since.changes
      .filter((c) => state.workspaceOf(c.kind, c.last) === workspace)
      .map((c) => {
        const written = write(c.kind, c.last!);
        return { ...written, row: c.row && written.row };
      }),
    changeToken: since.token,
    more: since.more,
  };
}

const about = (res: ServerResponse, workspace: string): void => {
  const { organisation, workspaces } = state.manifest;
  json(res, 200, {
    organisation,
    workspace: workspaces.find((w) => w.id === workspace),
    changeToken: state.token,
  });
};

/** A row with the ids of accounts written as those of users. */
function asUsers(prefix: string, value: unknown): unknown {
  const user = (v: unknown): unknown =>
    typeof v === 'string' && v.startsWith(prefix) ? v.slice(prefix.length) : v;
  if (Array.isArray(value)) return value.map((v) => asUsers(prefix, v));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([k, v]) => [
      k,
      USER_FIELDS.includes(k)
        ? user(v)
        : k === 'owners' && Array.isArray(v)
          ? v.map(user)
          : asUsers(prefix, v),
    ]),
  );
}

/** Drives, and sites: rows as in the extract. */
async function rowsWorkspace(
  req: IncomingMessage,
  res: ServerResponse,
  url: URL,
  workspace: string,
  repeat: boolean,
): Promise<void> {
  const prefix = WORKSPACES[workspace]!.accounts;
  const [, , , kind, rawId, action] = url.pathname.split('/');
  const id = rawId === undefined ? undefined : decodeURIComponent(rawId);
  const written = (row: Row): Row => (prefix ? (asAccounts(prefix, row) as Row) : row);
  if (kind === 'about') return about(res, workspace);
  if (kind === 'changes')
    return json(
      res,
      200,
      changes(url, workspace, (k, row) => ({ kind: k, id: row.id, row: written(row) })),
    );
  if (kind === 'activity') return activity(res, url, workspace, prefix);
  if (kind === 'accounts' && prefix) return json(res, 200, list(url, accountsOf(workspace, prefix), repeat));
  if (kind !== 'spaces' && kind !== 'items' && kind !== 'grants' && kind !== 'links')
    throw new Refusal(404, 'There is no such collection.');
  if (id === undefined) {
    const page = list(url, rowsOf(kind, workspace), repeat);
    return json(res, 200, { ...page, rows: page.rows.map(written) });
  }
  const row = state.rows[kind].get(id);
  if (kind === 'items' && action === 'content') return content(res, id);
  if (req.method === 'GET') {
    if (!row) throw new Refusal(404, 'There is no such object.');
    res.setHeader('etag', versionOf(row));
    return json(res, 200, written(row));
  }
  if (req.method === 'PATCH') {
    const body = await bodyOf(req);
    const own = prefix ? asUsers(prefix, body) : body;
    const owner = (own as { owner?: string | null }).owner;
    write(req, res, kind, row, merged(own, ableTo(workspace, kind)));
    if (kind === 'items' && owner) tell(owner, id, 'It is yours now.');
    return;
  }
  if (kind !== 'grants' && kind !== 'links')
    throw new Refusal(405, 'Only grants and links can be withdrawn.');
  alter(req, res, kind, id, action === 'restore');
}

/** Channels: who is in one, and the files posted in it. */
async function channels(req: IncomingMessage, res: ServerResponse, url: URL, repeat: boolean): Promise<void> {
  const prefix = WORKSPACES.channels!.accounts!;
  const [, , , kind, rawId, sub, rawMember, action] = url.pathname.split('/');
  const id = rawId === undefined ? undefined : decodeURIComponent(rawId);
  const account = (user: unknown): string | undefined =>
    typeof user === 'string' ? prefix + user : undefined;
  const asChannel = (row: Row): Row => ({
    id: row.id,
    name: row.name,
    open: row.visibility === 'organisation',
    responsible: (row.owners as string[] | undefined)?.map(account),
    created: row.createdAt,
    lastMessage: (row.lastActivity as { chat?: string } | undefined)?.chat,
  });
  const asMember = (row: Row): Row => ({
    id: row.id.split('/')[1]!,
    channel: (row.on as { space: string }).space,
    leads: row.role === 'manager',
    since: row.grantedAt,
  });
  const asFile = (row: Row): Row => ({
    id: row.id,
    channel: row.space,
    name: row.name,
    type: row.mime,
    size: row.bytes,
    label: row.label,
    postedBy: account(row.owner),
    postedAt: row.createdAt,
    changedAt: row.modifiedAt,
    held: row.held,
  });
  /** An object of one kind, asked for or changed. */
  const one = async (
    kindOfRow: 'spaces' | 'items' | 'grants',
    row: Row | undefined,
    shown: (row: Row) => Row,
    fields: (body: Row) => object,
  ): Promise<void> => {
    if (req.method === 'PATCH') {
      const body = (await bodyOf(req)) as Row;
      const own = fields(body);
      const taken = merged(own, Object.keys(own));
      if (Object.keys(own).length < Object.keys(body).length)
        throw new Refusal(422, 'This cannot be set here.');
      return write(req, res, kindOfRow, row, taken);
    }
    if (!row) throw new Refusal(404, 'There is no such thing here.');
    res.setHeader('etag', versionOf(row));
    json(res, 200, shown(row));
  };
  const users = (list: unknown): unknown =>
    Array.isArray(list) ? list.map((v: string) => v.slice(prefix.length)) : list;
  if (kind === 'about') return about(res, 'channels');
  if (kind === 'activity') return activity(res, url, 'channels', prefix);
  if (kind === 'accounts') return json(res, 200, list(url, accountsOf('channels', prefix), repeat));
  if (kind === 'changes')
    return json(
      res,
      200,
      changes(url, 'channels', (k, row) =>
        k === 'spaces'
          ? { kind: 'channel', id: row.id, row: asChannel(row) }
          : k === 'items'
            ? { kind: 'file', id: row.id, row: asFile(row) }
            : { kind: 'member', id: row.id, row: asMember(row) },
      ),
    );
  if (kind === 'channels' && id === undefined) {
    const page = list(url, rowsOf('spaces', 'channels'), repeat);
    return json(res, 200, { ...page, rows: page.rows.map(asChannel) });
  }
  if (kind === 'members' && id === undefined) {
    const page = list(url, rowsOf('grants', 'channels'), repeat);
    return json(res, 200, { ...page, rows: page.rows.map(asMember) });
  }
  if (kind === 'files' && id === undefined) {
    const page = list(url, rowsOf('items', 'channels'), repeat);
    return json(res, 200, { ...page, rows: page.rows.map(asFile) });
  }
  if (kind === 'files' && sub === 'content') return content(res, id!);
  if (kind === 'files' && id !== undefined)
    return one('items', state.rows.items.get(id), asFile, ({ held }) => ({
      ...(held !== undefined && { held }),
    }));
  if (kind === 'channels' && id !== undefined && !sub)
    return one('spaces', state.rows.spaces.get(id), asChannel, ({ open, responsible }) => ({
      ...(open !== undefined && { visibility: open ? 'organisation' : null }),
      ...(responsible !== undefined && { owners: users(responsible) }),
    }));
  if (kind === 'channels' && sub === 'members' && rawMember) {
    const grant = `${id}/${decodeURIComponent(rawMember)}`;
    const row = state.rows.grants.get(grant);
    if (req.method === 'GET') {
      if (!row) throw new Refusal(404, 'They are not in this channel.');
      res.setHeader('etag', versionOf(row));
      return json(res, 200, asMember(row));
    }
    if (req.method === 'PATCH')
      return one('grants', row, asMember, ({ leads }) => ({
        ...(leads !== undefined && { role: leads ? 'manager' : 'editor' }),
      }));
    return alter(req, res, 'grants', grant, action === 'restore');
  }
  throw new Refusal(404, 'There is no such thing here.');
}

async function workspace(
  req: IncomingMessage,
  res: ServerResponse,
  url: URL,
  repeat: boolean,
): Promise<void> {
  const [, name] = url.pathname.split('/');
  if (name === 'channels') return channels(req, res, url, repeat);
  if (name && WORKSPACES[name]) return rowsWorkspace(req, res, url, name, repeat);
  throw new Refusal(404, 'There is nothing here.');
}

async function control(req: IncomingMessage, res: ServerResponse, url: URL): Promise<void> {
  const [, , what, kind, id] = url.pathname.split('/');
  if (what === 'faults') {
    if (req.method === 'PUT') faults.set((await bodyOf(req)) as FaultRule[]);
    return json(res, 200, faults.list());
  }
  if (what === 'outbox') return json(res, 200, outbox);
  if (what === 'forget') {
    state.forgotten = Number(state.token);
    return json(res, 200, state.token);
  }
  if (what === 'truth' && req.method === 'GET') {
    const rows = state.rows[kind as Kind];
    return json(res, 200, id ? (rows.get(decodeURIComponent(id)) ?? null) : [...rows.values()]);
  }
  if (what === 'truth' && req.method === 'PUT') {
    const row = (await bodyOf(req)) as Row;
    state.change({
      key: `control-${Date.now()}-${Math.random()}`,
      kind: kind as Kind,
      id: row.id,
      op: 'put',
      row,
    });
    return json(res, 200, row);
  }
  if (what === 'truth' && req.method === 'DELETE') {
    state.change({
      key: `control-${Date.now()}-${Math.random()}`,
      kind: kind as Kind,
      id: decodeURIComponent(id!),
      op: 'delete',
    });
    return json(res, 200, null);
  }
  throw new Refusal(404, 'There is no such control.');
}

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

async function answer(req: IncomingMessage, res: ServerResponse): Promise<void> {
  const url = new URL(req.url!, 'http://stand-in');
  const bearer = req.headers.authorization;
  if (url.pathname.startsWith('/control/')) {
    if (bearer !== `Bearer ${args['control-token']}`) throw new Refusal(401, 'The control token is wrong.');
    return control(req, res, url);
  }
  if (bearer !== `Bearer ${args.token}`) throw new Refusal(401, 'The token is wrong.');

  let repeat = false;
  let resetAfter = false;
  for (const fault of faults.strike(req.method!, url.pathname + url.search)) {
    if (fault.kind === 'latency') await wait(fault.amount ?? 200);
    else if (fault.kind === 'throttle') {
      res.writeHead(429, { 'retry-after': String(fault.amount ?? 1) }).end();
      return;
    } else if (fault.kind === 'error') throw new Refusal(503, 'It is unwell.');
    else if (fault.kind === 'dead') throw new Refusal(500, 'This object cannot be served.');
    else if (fault.kind === 'time-out')
      return; // never answered
    else if (fault.kind === 'reset') return void req.socket.destroy();
    else if (fault.kind === 'reset-after') resetAfter = true;
    else if (fault.kind === 'repeat-page') repeat = true;
  }
  if (resetAfter) {
    // the work is done and its answer is lost
    const lost = {
      writeHead: () => lost,
      end: () => lost,
      setHeader: () => lost,
    } as unknown as ServerResponse;
    try {
      await route(req, lost, url, false);
    } finally {
      req.socket.destroy();
    }
    return;
  }
  await route(req, res, url, repeat);
}

const route = (req: IncomingMessage, res: ServerResponse, url: URL, repeat: boolean): Promise<void> =>
  url.pathname.startsWith('/scim/v2/Users')
    ? scim(req, res, url, 'users')
    : url.pathname.startsWith('/scim/v2/Groups')
      ? scim(req, res, url, 'groups')
      : workspace(req, res, url, repeat);

const server = createServer((req, res) => {
  answer(req, res).catch((e: unknown) => {
    if (res.headersSent || req.socket.destroyed) return;
    if (e instanceof Refusal) json(res, e.status, { detail: e.message });
    else {
      process.stderr.write(`stand-in: ${String(e)}\n`);
      json(res, 500, { detail: 'The stand-in failed.' });
    }
  });
});
server.listen(Number(args.port), '127.0.0.1', () => {
  const address = server.address() as { port: number };
  process.stdout.write(`stand-ins on http://127.0.0.1:${address.port}\n`);
});
