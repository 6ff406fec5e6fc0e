/** A workspace of channels, which has words of its own for everything. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { happened } from '../happenings.ts';
import { bodyOf, json, keyOf, list, Refusal, versionOf } from '../http.ts';
import { post } from '../posts.ts';
import { about, accountsOf, activity, asAccounts, changes, content } from '../reading.ts';
import type { Row } from '../state.ts';
import { rowsOf, state } from '../world.ts';
import { alter, merged, write } from '../writing.ts';

/** What comes before a user's id to make the id of an account. */
const prefix = 'c-';

/** Channels: who is in one, and the files posted in it. */
export async function channels(
  req: IncomingMessage,
  res: ServerResponse,
  url: URL,
  repeat: boolean,
): Promise<void> {
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
    archived: row.archived,
    binned: row.binned,
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
    binned: row.binned,
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
  if (kind === 'events') return happened(res, url, 'channels');
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
            : k === 'grants'
              ? { kind: 'member', id: row.id, row: asMember(row) }
              : { kind: k, id: row.id, row: asAccounts(prefix, row) },
      ),
    );
  if ((kind === 'apps' || kind === 'app-grants') && id === undefined) {
    const page = list(url, rowsOf(kind, 'channels'), repeat);
    return json(res, 200, { ...page, rows: page.rows.map((row) => asAccounts(prefix, row)) });
  }
  if (kind === 'app-grants') {
    const row = state.rows[kind].get(id!);
    if (req.method !== 'GET') return alter(req, res, kind, id!, sub === 'restore');
    if (!row) throw new Refusal(404, 'There is no such object.');
    res.setHeader('etag', versionOf(row));
    return json(res, 200, asAccounts(prefix, row));
  }
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
    return one('items', state.rows.items.get(id), asFile, ({ held, binned }) => ({
      ...(held !== undefined && { held }),
      ...(binned !== undefined && { binned }),
    }));
  if (kind === 'channels' && sub === 'messages') {
    const channel = state.rows.spaces.get(id!);
    if (!channel || state.workspaceOf('spaces', channel) !== 'channels')
      throw new Refusal(404, 'There is no such channel.');
    if (req.method !== 'POST') throw new Refusal(405, 'Messages are posted.');
    const { text } = (await bodyOf(req)) as { text?: unknown };
    if (typeof text !== 'string' || !text || text.length > 20_000) throw new Refusal(422, 'It needs a text.');
    return json(res, 200, { posted: post(channel.id, text, keyOf(req)) });
  }
  if (kind === 'channels' && id !== undefined && !sub)
    return one('spaces', state.rows.spaces.get(id), asChannel, ({ open, responsible, archived, binned }) => ({
      ...(open !== undefined && { visibility: open ? 'organisation' : null }),
      ...(responsible !== undefined && { owners: users(responsible) }),
      ...(archived !== undefined && { archived }),
      ...(binned !== undefined && { binned }),
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
