/** What scans found, kept from one survey to the next. */
import type { Db } from './db.ts';
import { storableJson, type ContentDoc } from './observed.ts';

/** What is known of some files of a source from scans with one recogniser, by their ids. */
export async function scansOf(
  db: Db,
  source: string,
  types: string,
  items: readonly string[],
): Promise<Map<string, { version: string; doc: ContentDoc }>> {
  const rows = await db.query<{ item: string; version: string; doc: ContentDoc }>(
    'select item, version, doc from scan where source = $1 and types = $2 and item = any($3)',
    [source, types, items],
  );
  return new Map(rows.map((r) => [r.item, r]));
}

/** Keeps what scans of some files found, in place of what was known of them. */
export async function keepScans(
  db: Db,
  source: string,
  types: string,
  scans: readonly { item: string; version: string; doc: ContentDoc }[],
): Promise<void> {
  if (!scans.length) return;
  await db.query(
    `insert into scan (source, item, version, types, doc, at)
     select $1, item, version, $2, doc::jsonb, now() from unnest($3::text[], $4::text[], $5::text[]) as t (item, version, doc)
     on conflict (source, item) do update
       set version = excluded.version, types = excluded.types, doc = excluded.doc, at = excluded.at`,
    [
      source,
      types,
      scans.map((s) => s.item),
      scans.map((s) => s.version),
      scans.map((s) => storableJson(s.doc)),
    ],
  );
}
