/** Rows as a survey that the engine has read from the store. */
import type { ItemRow } from '../../src/core/model.ts';
import { loadSurvey, type Loaded } from '../../src/engine/loaded.ts';
import { copyText, type OpenDb } from '../../src/store/db.ts';
import type { Rows } from './plain-access.ts';

export const LABELS = [undefined, 'public', 'internal', 'confidential', 'restricted'];
export const WEIGHTS = [0, 0, 1, 3, 4];

/** What nothing lies below becomes a file; some have labels. */
export function withFiles(rows: Rows, seed: number): Rows {
  const parents = new Set(rows.items.map((i) => i.parent));
  return {
    ...rows,
    items: rows.items.map((i, n): ItemRow => {
      const label = LABELS[(seed + n * 3) % 5];
      return parents.has(i.id) ? i : { ...i, kind: 'file', bytes: 10 ** n, ...(label && { label }) };
    }),
  };
}

/** The rows as a survey of its own, of one source, and that as the engine reads it. */
export async function loaded(db: OpenDb, rows: Rows, source: string): Promise<Loaded> {
  const takenAt = new Date(rows.takenAt).toISOString();
  const [made] = await db.query<{ id: number }>(
    "insert into survey (kind, state, started_by, started_at, taken_at) values ('full', 'done', 't', $1, $1) returning id",
    [takenAt],
  );
  const survey = made!.id;
  const kinds = {
    about: rows.workspaces.map((workspace) => ({ id: workspace.id, organisation: rows.own, workspace })),
    person: rows.users,
    group: rows.groups,
    space: rows.spaces,
    item: rows.items,
    grant: rows.grants,
    link: rows.links,
  };
  const lines = Object.entries(kinds).flatMap(([kind, list]) =>
    list.map((doc) => [kind, source, doc.id, JSON.stringify(doc), survey, survey + 1] as const),
  );
  await db.copyIn('observed', ['kind', 'source', 'id', 'doc', 'valid_from', 'valid_to'], copyText(lines));
  return loadSurvey(db, survey, takenAt);
}
