/** What every workspace tells of itself: its accounts, its activity, what changed, and the content of files. */
import type { ServerResponse } from 'node:http';
import { json, Refusal } from './http.ts';
import type { Kind, Row } from './state.ts';
import { LISTS, rowsOf, state } from './world.ts';

const USER_FIELDS = ['owner', 'modifiedBy', 'grantedBy', 'createdBy', 'user'];

/** A row with the ids of users written as those of accounts. */
export function asAccounts(prefix: string, value: unknown, seen?: Set<string>): unknown {
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

/** A row with the ids of accounts written as those of users. */
export function asUsers(prefix: string, value: unknown): unknown {
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

/** Everybody a workspace's rows name, as its own accounts. */
export function accountsOf(workspace: string, prefix: string): Row[] {
  const seen = new Set<string>();
  for (const kind of LISTS)
    // an app keeps what it was let in for when somebody leaves
    if (kind !== 'app-grants') for (const r of rowsOf(kind, workspace)) asAccounts(prefix, r, seen);
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
export function activity(res: ServerResponse, url: URL, workspace: string, prefix = ''): void {
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

/** Where an item, or a folder above it, was moved so that nobody can do anything with it. */
export function awayIn(row: Row): 'quarantine' | 'the bin' | undefined {
  for (let at: Row | undefined = row; at; at = state.rows.items.get(at.parent as string))
    if (at.held || at.binned) return at.held ? 'quarantine' : 'the bin';
  if (state.rows.spaces.get(row.space as string)?.binned) return 'the bin';
  return undefined;
}

export function content(res: ServerResponse, id: string): void {
  const row = state.rows.items.get(id);
  const text = state.content.get(id);
  if (!row || text === undefined) throw new Refusal(404, 'This item has no content here.');
  const away = awayIn(row);
  if (away) throw new Refusal(423, `It is in ${away}.`);
  res
    .writeHead(200, { 'content-type': typeof row.mime === 'string' ? row.mime : 'application/octet-stream' })
    .end(text);
}

export function changes(
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

export const about = (res: ServerResponse, workspace: string): void => {
  const { organisation, workspaces } = state.manifest;
  json(res, 200, {
    organisation,
    workspace: workspaces.find((w) => w.id === workspace),
    changeToken: state.token,
  });
};
