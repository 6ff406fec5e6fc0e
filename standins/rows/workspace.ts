/** Workspaces of drives and of sites, which write rows as an extract does. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { happened } from '../happenings.ts';
import { bodyOf, json, list, Refusal, versionOf } from '../http.ts';
import { about, accountsOf, activity, asAccounts, asUsers, changes, content } from '../reading.ts';
import type { Row } from '../state.ts';
import { ACCOUNTS, isList, rowsOf, state, tell } from '../world.ts';
import { ableTo, alter, merged, write } from '../writing.ts';

/** Drives, and sites: rows as in the extract. */
export async function rowsWorkspace(
  req: IncomingMessage,
  res: ServerResponse,
  url: URL,
  workspace: string,
  repeat: boolean,
): Promise<void> {
  const prefix = ACCOUNTS[workspace];
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
  if (kind === 'events') return happened(res, url, workspace);
  if (kind === 'accounts' && prefix) return json(res, 200, list(url, accountsOf(workspace, prefix), repeat));
  if (!isList(kind)) throw new Refusal(404, 'There is no such collection.');
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
  if (kind !== 'grants' && kind !== 'links' && kind !== 'app-grants')
    throw new Refusal(405, 'Only grants, links and apps can be withdrawn.');
  alter(req, res, kind, id, action === 'restore');
}
