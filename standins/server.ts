/**
 * The simulated workspaces: a process of its own that speaks HTTP.
 *
 *   /scim/v2/Users, /scim/v2/Groups   a directory (SCIM 2.0: RFC 7643, RFC 7644)
 *   /drives/v1/…                      shared and personal drives, inheritance additive
 *   /control/faults, /control/truth   for tests: misbehave on demand; what is really set
 *
 *   tsx standins/server.ts --extract DIR --state DIR --port N --token T --control-token T
 */
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { parseArgs } from 'node:util';
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
function scim(res: ServerResponse, url: URL, kind: 'users' | 'groups'): void {
  const id = url.pathname.split('/')[4];
  if (id) {
    const row = state.rows[kind].get(decodeURIComponent(id));
    if (!row)
      return json(
        res,
        404,
        { schemas: [`${SCIM}:Error`], status: '404', detail: 'There is no such resource.' },
        'application/scim+json',
      );
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

/** Lists in pages; the cursor names the position and the last id given, so that it can be resumed. */
function list(res: ServerResponse, url: URL, kind: Kind, repeat: boolean): void {
  const limit = Math.max(1, Math.min(PAGE, Number(url.searchParams.get('limit') ?? PAGE)));
  const cursor = url.searchParams.get('cursor');
  const all = [...state.rows[kind].values()];
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
  json(res, 200, { rows, next, total: all.length });
}

function drives(req: IncomingMessage, res: ServerResponse, url: URL, repeat: boolean): void {
  const [, , , kind, rawId, action] = url.pathname.split('/');
  const id = rawId === undefined ? undefined : decodeURIComponent(rawId);
  if (kind === 'about') {
    const { organisation, workspaces } = state.manifest;
    return json(res, 200, { organisation, workspace: workspaces[0], changeToken: state.token });
  }
  if (kind === 'changes')
    return json(res, 200, {
      changes: state.changesSince(url.searchParams.get('since') ?? '0'),
      changeToken: state.token,
    });
  if (kind !== 'spaces' && kind !== 'items' && kind !== 'grants' && kind !== 'links')
    throw new Refusal(404, 'There is no such collection.');
  if (id === undefined) return list(res, url, kind, repeat);
  const row = state.rows[kind].get(id);
  if (kind === 'items' && action === 'content') {
    const text = state.content.get(id);
    if (!row || text === undefined) throw new Refusal(404, 'This item has no content here.');
    res
      .writeHead(200, {
        'content-type': typeof row.mime === 'string' ? row.mime : 'application/octet-stream',
      })
      .end(text);
    return;
  }
  if (req.method === 'GET') {
    if (!row) throw new Refusal(404, 'There is no such object.');
    return json(res, 200, row);
  }
  if (kind !== 'grants' && kind !== 'links') throw new Refusal(405, 'Only grants and links can be changed.');
  const key = req.headers['idempotency-key'];
  if (typeof key !== 'string' || !key) throw new Refusal(400, 'A change needs an Idempotency-Key.');
  if (state.seen(key)) return json(res, 200, { applied: false, repeated: true });
  if (req.method === 'DELETE') {
    if (!row) throw new Refusal(404, 'There is no such object.');
    state.change({ key, kind, id, op: 'delete' });
    return json(res, 200, { applied: true });
  }
  if (req.method === 'POST' && action === 'restore') {
    if (row) throw new Refusal(409, 'It is there already.');
    if (!state.wasRemoved(kind, id)) throw new Refusal(404, 'Nothing of that id was removed.');
    state.change({ key, kind, id, op: 'restore' });
    return json(res, 200, { applied: true });
  }
  throw new Refusal(405, 'This cannot be done to it.');
}

async function control(req: IncomingMessage, res: ServerResponse, url: URL): Promise<void> {
  const [, , what, kind, id] = url.pathname.split('/');
  if (what === 'faults') {
    if (req.method === 'PUT') faults.set((await bodyOf(req)) as FaultRule[]);
    return json(res, 200, faults.list());
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
    const lost = { writeHead: () => lost, end: () => lost } as unknown as ServerResponse;
    try {
      drives(req, lost, url, false);
    } finally {
      req.socket.destroy();
    }
    return;
  }
  if (url.pathname.startsWith('/scim/v2/Users')) return scim(res, url, 'users');
  if (url.pathname.startsWith('/scim/v2/Groups')) return scim(res, url, 'groups');
  if (url.pathname.startsWith('/drives/v1/')) return drives(req, res, url, repeat);
  throw new Refusal(404, 'There is nothing here.');
}

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
