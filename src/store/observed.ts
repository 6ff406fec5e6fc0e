/** What surveys saw, in every version: reading as of a survey, and merging a finished survey in. */
import type { Found } from '../core/recognise/types.ts';
import { copyText, type Db } from './db.ts';

export type ObservedKind = 'about' | 'person' | 'group' | 'space' | 'item' | 'grant' | 'link' | 'content';

/** What is known of an item's content; it holds no raw value. */
export interface ContentDoc {
  state: 'scanned' | 'name-only' | 'unreadable';
  reason?: string;
  found: Found[];
}

/** Rows of a kind as a survey saw them, by source and id. */
export const readObserved = <Doc>(
  db: Db,
  kind: ObservedKind,
  survey: number,
): Promise<{ source: string; id: string; doc: Doc }[]> =>
  db.query(
    `select source, id, doc from observed
     where kind = $1 and valid_from <= $2 and (valid_to is null or valid_to > $2) order by source, id`,
    [kind, survey],
  );

/** JSON that PostgreSQL's jsonb can hold: no U+0000, no lone surrogates. */
export function storableJson(doc: unknown): string {
  const text = JSON.stringify(doc);
  if (!/\\u(?:0000|d[89a-f])/i.test(text)) return text;
  return JSON.stringify(doc, (_, v: unknown) =>
    typeof v === 'string' ? v.toWellFormed().replaceAll('\0', '\uFFFD') : v,
  );
}

export interface StagedRow {
  kind: ObservedKind;
  source: string;
  id: string;
  doc: unknown;
}

export const stage = (db: Db, survey: number, rows: readonly StagedRow[]): Promise<void> =>
  db.copyIn(
    'staged',
    ['survey', 'kind', 'source', 'id', 'doc'],
    copyText(rows.map((r) => [survey, r.kind, r.source, r.id, storableJson(r.doc)])),
  );

/** Replaces what was staged under these keys; a row without a doc is only taken out. */
export async function restage(
  db: Db,
  survey: number,
  rows: readonly (Omit<StagedRow, 'doc'> & { doc: unknown })[],
): Promise<void> {
  for (const r of rows)
    await db.query('delete from staged where survey = $1 and kind = $2 and source = $3 and id = $4', [
      survey,
      r.kind,
      r.source,
      r.id,
    ]);
  await stage(
    db,
    survey,
    rows.filter((r) => r.doc !== null),
  );
}

/**
 * Makes a survey's staged rows the present. `whole`: kinds and sources that were read in full, so
 * that a row not staged is gone. Rows that have not changed keep their version. Runs inside `tx`.
 */
export async function mergeStaged(
  tx: Db,
  survey: number,
  whole: readonly { kind: ObservedKind; source: string }[],
): Promise<void> {
  await tx.query('analyze staged');
  await tx.query(
    `update observed o set valid_to = $1
     where o.valid_to is null
       and (o.kind, o.source) in (select * from unnest($2::text[], $3::text[]))
       and not exists (select 1 from staged s where s.survey = $1 and s.kind = o.kind and s.source = o.source and s.id = o.id and s.doc = o.doc)`,
    [survey, whole.map((w) => w.kind), whole.map((w) => w.source)],
  );
  await tx.query(
    `insert into observed (kind, source, id, doc, valid_from)
     select distinct on (s.kind, s.source, s.id) s.kind, s.source, s.id, s.doc, s.survey from staged s
     where s.survey = $1 and not exists
       (select 1 from observed o where o.kind = s.kind and o.source = s.source and o.id = s.id and o.valid_to is null)`,
    [survey],
  );
  await tx.query('delete from staged where survey = $1', [survey]);
}

/** Sets one row to what was just read of it (null: it is gone), from this survey on. */
export async function observeOne(
  tx: Db,
  survey: number,
  row: Omit<StagedRow, 'doc'> & { doc: unknown },
): Promise<void> {
  const json = row.doc === null ? null : storableJson(row.doc);
  const same = await tx.query(
    'select 1 from observed where kind = $1 and source = $2 and id = $3 and valid_to is null and doc = $4::jsonb',
    [row.kind, row.source, row.id, json],
  );
  if (same.length) return;
  await tx.query(
    'update observed set valid_to = $4 where kind = $1 and source = $2 and id = $3 and valid_to is null',
    [row.kind, row.source, row.id, survey],
  );
  if (json !== null)
    await tx.query(
      `insert into observed (kind, source, id, doc, valid_from) values ($1, $2, $3, $4::jsonb, $5)
       on conflict (kind, source, id, valid_from) do update set doc = excluded.doc, valid_to = null`,
      [row.kind, row.source, row.id, json, survey],
    );
}
