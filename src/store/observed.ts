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

/**
 * Rows of a kind as a survey saw them, by source and id. They come out in bulk, as COPY text of a
 * million rows at most at a time: reading them as row objects takes several times as long.
 */
export async function readObserved<Doc>(
  db: Db,
  kind: ObservedKind,
  survey: number,
): Promise<{ source: string; id: string; doc: Doc }[]> {
  const rows: { source: string; id: string; doc: Doc }[] = [];
  const decoder = new TextDecoder();
  const sources = await db.query<{ source: string }>('select distinct source from observed where kind = $1', [
    kind,
  ]);
  for (const { source } of sources.sort((a, b) => (a.source < b.source ? -1 : 1)))
    for (let after: string | undefined = ''; after !== undefined;) {
      const where: string = `kind = ${literal(kind)} and source = ${literal(source)} and valid_from <= ${Number(survey)} and (valid_to is null or valid_to > ${Number(survey)}) and id collate "C" > ${literal(after)} collate "C"`;
      const text = decoder.decode(
        await db.copyOut(
          `select id, doc from observed where ${where} order by id collate "C" limit ${READ_AT_ONCE}`,
        ),
      );
      after = undefined;
      let n = 0;
      for (let from = 0, to; (to = text.indexOf('\n', from)) >= 0; from = to + 1, n++) {
        const tab = text.indexOf('\t', from);
        const id = unescapeCopy(text.slice(from, tab));
        rows.push({ source, id, doc: JSON.parse(unescapeCopy(text.slice(tab + 1, to))) as Doc });
        after = id;
      }
      if (n < READ_AT_ONCE) after = undefined;
    }
  return rows;
}
const READ_AT_ONCE = 200_000;

/** Text as a literal of SQL, for COPY takes no parameters. */
const literal = (text: string): string => `E'${text.replace(/[\\']/g, (c) => `\\${c}`)}'`;

const PLAIN: Record<string, string> = { '\\': '\\', t: '\t', n: '\n', r: '\r', b: '\b', f: '\f', v: '\v' };
const unescapeCopy = (text: string): string =>
  text.includes('\\') ? text.replace(/\\(.)/g, (_, c: string) => PLAIN[c] ?? c) : text;

/** Everything known of who last did what. Times in milliseconds since 1970. */
export async function readActivity(
  db: Db,
): Promise<{ source: string; item: string; actor: string; opened: number | null; edited: number | null }[]> {
  const text = new TextDecoder().decode(
    await db.copyOut('select source, item, actor, opened, edited from activity order by source, item, actor'),
  );
  return text
    .split('\n')
    .filter(Boolean)
    .map((line) => {
      const [source, item, actor, opened, edited] = line.split('\t') as [
        string,
        string,
        string,
        string,
        string,
      ];
      const time = (t: string) => (t === '\\N' ? null : Number(t));
      return {
        source: unescapeCopy(source),
        item: unescapeCopy(item),
        actor: unescapeCopy(actor),
        opened: time(opened),
        edited: time(edited),
      };
    });
}

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
    copyText(rows.map((r) => [survey, r.kind, r.source, r.id, r.doc === null ? null : storableJson(r.doc)])),
  );

/** Who did what, seen by a running survey. Times in milliseconds since 1970. */
export const stageActivity = (
  db: Db,
  rows: readonly {
    source: string;
    item: string;
    actor: string;
    opened: number | null;
    edited: number | null;
  }[],
): Promise<void> =>
  db.copyIn(
    'staged_activity',
    ['source', 'item', 'actor', 'opened', 'edited'],
    copyText(rows.map((r) => [r.source, r.item, r.actor, r.opened, r.edited])),
  );

/** Replaces what was staged under these keys; a row without a doc says that it is gone. */
export async function restage(db: Db, survey: number, rows: readonly StagedRow[]): Promise<void> {
  for (const r of rows)
    await db.query('delete from staged where survey = $1 and kind = $2 and source = $3 and id = $4', [
      survey,
      r.kind,
      r.source,
      r.id,
    ]);
  await stage(db, survey, rows);
}

/**
 * Makes a survey's staged rows the present, and counts what that changed. `whole`: kinds and sources
 * that were read in full, so that a row not staged is gone; of others only what is staged is touched.
 * Rows that have not changed keep their version. Runs inside `tx`.
 */
export async function mergeStaged(
  tx: Db,
  survey: number,
  whole: readonly { kind: ObservedKind; source: string }[],
): Promise<void> {
  await tx.query('analyze staged');
  const [ended] = await tx.query<{ n: number }>(
    `with ended as (update observed o set valid_to = $1
     where o.valid_to is null
       and ((o.kind, o.source) in (select * from unnest($2::text[], $3::text[]))
            or exists (select 1 from staged s where s.survey = $1 and s.kind = o.kind and s.source = o.source and s.id = o.id))
       and not exists (select 1 from staged s where s.survey = $1 and s.kind = o.kind and s.source = o.source and s.id = o.id and s.doc = o.doc)
     returning 1) select count(*)::int as n from ended`,
    [survey, whole.map((w) => w.kind), whole.map((w) => w.source)],
  );
  const [made] = await tx.query<{ n: number; again: number }>(
    `with made as (insert into observed (kind, source, id, doc, valid_from)
     select distinct on (s.kind, s.source, s.id) s.kind, s.source, s.id, s.doc, s.survey from staged s
     where s.survey = $1 and s.doc is not null and not exists
       (select 1 from observed o where o.kind = s.kind and o.source = s.source and o.id = s.id and o.valid_to is null)
     returning kind, source, id)
     select count(*)::int as n, count(*) filter (where exists (select 1 from observed o
       where o.kind = made.kind and o.source = made.source and o.id = made.id and o.valid_to = $1))::int as again from made`,
    [survey],
  );
  await tx.query('update survey set added = $2, altered = $3, removed = $4 where id = $1', [
    survey,
    made!.n - made!.again,
    made!.again,
    ended!.n - made!.again,
  ]);
  await tx.query('delete from staged where survey = $1', [survey]);
  await tx.query(
    `insert into activity select source, item, actor, max(opened), max(edited) from staged_activity group by source, item, actor
     on conflict (source, item, actor) do update set
       opened = greatest(activity.opened, excluded.opened), edited = greatest(activity.edited, excluded.edited)`,
  );
  await tx.query('delete from staged_activity');
}

/** Sets one row to what was just read of it (null: it is gone), from this survey on. */
export async function observeOne(tx: Db, survey: number, row: StagedRow): Promise<void> {
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
