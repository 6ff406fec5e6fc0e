/** Changes to rows: each once for a key, to the version that was meant, and of fields that can be set. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { fieldsOf, OBJECT_KINDS, type SourceKind } from '../src/core/remedy/fields.ts';
import { kindOfFile } from '../src/core/row-kinds.ts';
import { json, keyOf, mustMatch, Refusal } from './http.ts';
import type { Kind, Row } from './state.ts';
import { state, tell } from './world.ts';

/** Sets fields of a row, once for each key. */
export function write(
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
  state.change({ key, kind, id: row.id, op: 'put', row: inBin(row, changed(row)) });
  json(res, 200, { applied: true });
}

/** So long what is deleted lies in the bin (common practice), in milliseconds. */
const IN_BIN = 30 * 86_400_000;
/** A row as it is kept: with when it was deleted. What lay in the bin for too long cannot be restored. */
function inBin(before: Row, { binnedAt, ...after }: Row): Row {
  if (!after.binned) {
    if (before.binned && Date.now() - Date.parse(String(before.binnedAt)) > IN_BIN)
      throw new Refusal(410, 'It was deleted more than 30 days ago, and cannot be restored any more.');
    return after;
  }
  return { ...after, binnedAt: before.binned ? binnedAt : new Date().toISOString() };
}

/** RFC 7396: null takes a field away. Fields that this workspace cannot set are refused. */
export const merged =
  (body: unknown, able: readonly string[]) =>
  (row: Row): Row => {
    const fields = Object.entries(body as Row);
    const not = fields.find(([k]) => !able.includes(k));
    if (not) throw new Refusal(422, `${not[0]} cannot be set here.`);
    return Object.fromEntries(
      Object.entries({ ...row, ...Object.fromEntries(fields) }).filter(([, v]) => v !== null),
    ) as Row;
  };

/** What a workspace can set of the rows of a list. */
export function ableTo(workspace: string, list: Kind): string[] {
  const kind = OBJECT_KINDS.find((k) => k === kindOfFile(list));
  return Object.entries(kind ? fieldsOf(kind) : {}).flatMap(([name, f]) =>
    f.able.includes(workspace as SourceKind) ? [name] : [],
  );
}

/** Takes a grant or link away, or puts it back, once for each key. */
export function alter(
  req: IncomingMessage,
  res: ServerResponse,
  kind: 'grants' | 'links' | 'app-grants',
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
    if (kind === 'app-grants') throw new Refusal(403, 'Whoever let the app in has to do so again.');
    if (row) throw new Refusal(409, 'It is there already.');
    if (!state.wasRemoved(kind, id)) throw new Refusal(404, 'Nothing of that id was removed.');
    state.change({ key, kind, id, op: 'restore' });
    return json(res, 200, { applied: true });
  }
  throw new Refusal(405, 'This cannot be done to it.');
}
