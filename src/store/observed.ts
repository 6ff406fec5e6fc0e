/** What surveys saw, in every version: reading as of a survey, and merging a finished survey in. */
import { hash } from 'node:crypto';
import type { Found } from '../core/recognise/types.ts';
import type { RowKind } from '../core/row-kinds.ts';
import { copyText, type Db, type PlanWay } from './db.ts';
import { stepIs } from './jobs.ts';

/** Beside the kinds of rows: what a workspace says of itself, and what is known of an item's content. */
export type ObservedKind = RowKind | 'about' | 'content';

/** What is known of an item's content; it holds no raw value. */
export interface ContentDoc {
  state: 'scanned' | 'name-only' | 'unreadable';
  reason?: string;
  found: Found[];
}

export interface Observed<Doc> {
  source: string;
  id: string;
  doc: Doc;
  /** The same as it is kept. */
  json: string;
}

/** A moment of what was observed: as a survey has it, without what others that are still `open` have put in so far. */
export interface AsOf {
  survey: number;
  /** Surveys of lower numbers that had not come to their end. */
  open: readonly number[];
}

/** The moment of a survey as it is now. */
export const asOf = async (db: Db, survey: number): Promise<AsOf> => ({
  survey,
  open: (
    await db.query<{ id: number }>(`select id from survey where id in ${OPEN} and id < $1 order by id`, [
      survey,
    ])
  ).map((r) => r.id),
});

/**
 * Rows of a kind as a survey saw them, by source and id, some thousands at a time. They come out in
 * bulk, as COPY text: reading them as row objects takes several times as long. While one part is
 * worked on, the database reads the next.
 */
export async function* observedParts<Doc>(
  db: Db,
  kind: ObservedKind,
  { survey, open }: AsOf,
  told?: (kind: ObservedKind, source: string, rows: number) => void,
): AsyncGenerator<Observed<Doc>[]> {
  const isOpen = (column: string): string => `${column} = any('{${open.map(Number).join(',')}}'::int[])`;
  const inForce = `valid_from <= ${Number(survey)} and not ${isOpen('valid_from')} and (valid_to is null or valid_to > ${Number(survey)} or ${isOpen('valid_to')})`;
  for (const source of await sourcesOf(db, kind))
    for await (const part of versionParts(db, kind, source, 'doc', inForce)) {
      const rows = part.map(([id, text]): Observed<Doc> => {
        const json = text!;
        return { source, id, doc: JSON.parse(json) as Doc, json };
      });
      told?.(kind, source, rows.length);
      yield rows;
    }
}

/** Has some ways of planning left out until a transaction ends. */
async function planWithout(tx: Db, ways: readonly PlanWay[]): Promise<void> {
  for (const way of ways) await tx.query(`set local enable_${way} = off`);
}

/** The sources of which rows of a kind are in the store, whichever survey saw them; in order. */
export const sourcesOf = (db: Db, kind: ObservedKind): Promise<string[]> =>
  db.transaction(async (tx) => {
    // from one to the next by the index: there are few, and millions of rows
    await planWithout(tx, ['seqscan', 'bitmapscan', 'sort']);
    const sources: string[] = [];
    for (;;) {
      const [next] = await tx.query<{ source: string }>(
        'select source from observed where kind = $1 and ($2::text is null or source > $2) order by source limit 1',
        [kind, sources.at(-1) ?? null],
      );
      if (!next) return sources.sort();
      sources.push(next.source);
    }
  });

/** Ids of a kind and source with a column of theirs as text, of versions that fit, by id; some thousands at a time. */
export async function* versionParts(
  db: Db,
  kind: ObservedKind,
  source: string,
  column: 'doc' | 'digest',
  fits: string,
): AsyncGenerator<[id: string, text: string | null][]> {
  const decoder = new TextDecoder();
  const read = (after: string | undefined): Promise<Uint8Array> => {
    const where = `kind = ${literal(kind)} and source = ${literal(source)} and ${fits}${after === undefined ? '' : ` and id > ${literal(after)}`}`;
    // along the index, from where the last part ended: never the whole sorted again for each part
    const reading = db.copyOut(
      `select id, ${column} from observed where ${where} order by id limit ${READ_AT_ONCE}`,
      ['seqscan', 'bitmapscan', 'sort'],
    );
    // a failure is raised where the part is awaited; a part that is not needed any more is awaited by nobody
    reading.catch(() => undefined);
    return reading;
  };
  for (let next = read(undefined); ;) {
    const text = decoder.decode(await next);
    if (text === '') return;
    const last = text.lastIndexOf('\n', text.length - 2) + 1;
    next = read(unescapeCopy(text.slice(last, text.indexOf('\t', last))));
    const rows: [string, string | null][] = [];
    for (let from = 0, to; (to = text.indexOf('\n', from)) >= 0; from = to + 1) {
      const tab = text.indexOf('\t', from);
      const value = text.slice(tab + 1, to);
      rows.push([unescapeCopy(text.slice(from, tab)), value === '\\N' ? null : unescapeCopy(value)]);
    }
    yield rows;
  }
}
const READ_AT_ONCE = 20_000;

/** All rows of a kind as a survey saw them, by source and id. `told`: what is read, part by part. */
export async function readObserved<Doc>(
  db: Db,
  kind: ObservedKind,
  at: AsOf,
  told?: (kind: ObservedKind, source: string, rows: number) => void,
): Promise<Omit<Observed<Doc>, 'json'>[]> {
  const rows: Omit<Observed<Doc>, 'json'>[] = [];
  for await (const part of observedParts<Doc>(db, kind, at, told))
    for (const { source, id, doc } of part) rows.push({ source, id, doc });
  return rows;
}

/** A row that differs between two surveys. */
export interface ObservedChange {
  kind: ObservedKind;
  source: string;
  id: string;
  /** As the later survey has it; null where it is gone. */
  doc: unknown;
  /** The same as it is kept. */
  json: string;
  /** The earlier survey did not have it. */
  isNew: boolean;
}

/**
 * The rows that differ between two moments; undefined where there are more than `most`. What was open at the earlier and is
 * not at the later is among what differs.
 */
export async function observedSince(
  db: Db,
  from: AsOf,
  to: AsOf,
  most: number,
): Promise<ObservedChange[] | undefined> {
  const at = (o: string, survey: string, open: string): string =>
    `${o}.valid_from <= ${survey} and ${o}.valid_from <> all(${open}::int[]) and (${o}.valid_to is null or ${o}.valid_to > ${survey} or ${o}.valid_to = any(${open}::int[]))`;
  const before = (o: string): string => at(o, '$1', '$4');
  const after = (o: string): string => at(o, '$2', '$5');
  const same = 'n.kind = o.kind and n.source = o.source and n.id = o.id';
  const rows = await db.query<Omit<ObservedChange, 'doc'> & { json: string | null }>(
    `select kind, source, id, doc::text as json, not exists (select 1 from observed n where ${same} and ${before('n')}) as "isNew"
     from observed o where (valid_from > $1 or valid_from = any($4::int[])) and ${after('o')}
     union all
     select kind, source, id, null, false from observed o
     where (valid_to > $1 and valid_to <= $2 or valid_to = any($4::int[])) and ${before('o')}
       and not exists (select 1 from observed n where ${same} and ${after('n')})
     limit $3`,
    [from.survey, to.survey, most + 1, from.open, to.open],
  );
  if (rows.length > most) return undefined;
  return rows.map((r) => ({
    ...r,
    json: r.json ?? '',
    doc: r.json === null ? null : (JSON.parse(r.json) as unknown),
  }));
}

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

/** JSON that PostgreSQL's jsonb can hold: no U+0000, no lone surrogates, in keys neither. */
export function storableJson(doc: unknown): string {
  const text = JSON.stringify(doc);
  if (!/\\u(?:0000|d[89a-f])/i.test(text)) return text;
  const plain = (t: string): string => t.toWellFormed().replaceAll('\0', '\uFFFD');
  return JSON.stringify(doc, (_, v: unknown) =>
    typeof v === 'string'
      ? plain(v)
      : v !== null && typeof v === 'object' && !Array.isArray(v)
        ? Object.fromEntries(Object.entries(v).map(([key, value]) => [plain(key), value]))
        : v,
  );
}

/** The digest of a row's text, as a UUID is written. */
export function digestOf(json: string): string {
  const h = hash('sha256', json);
  return `${h.slice(0, 8)}-${h.slice(8, 12)}-${h.slice(12, 16)}-${h.slice(16, 20)}-${h.slice(20, 32)}`;
}

export interface StagedRow {
  kind: ObservedKind;
  source: string;
  id: string;
  doc: unknown;
}

/** Who did what, seen by a running survey. Times in milliseconds since 1970. */
export async function stageActivity(
  db: Db,
  rows: readonly {
    source: string;
    item: string;
    actor: string;
    opened: number | null;
    edited: number | null;
  }[],
): Promise<void> {
  if (!rows.length) return;
  await db.copyIn(
    'staged_activity',
    ['source', 'item', 'actor', 'opened', 'edited'],
    copyText(rows.map((r) => [r.source, r.item, r.actor, r.opened, r.edited])),
  );
}

/** Surveys of which nothing is in force, though some of it may be in the store: they run, or ended before their end and are not tidied up after. */
const OPEN =
  "(select id from survey where state = 'running' or direct <> '{}' and state in ('failed', 'cancelled', 'interrupted'))";

/** Which versions are in force: those of the last survey that is done. One that is being merged is not. */
export const PRESENT = (() => {
  const newest = "(select max(id) from survey where state = 'done')";
  return `(o.valid_from <= ${newest} and o.valid_from not in ${OPEN} and (o.valid_to is null or o.valid_to > ${newest} or o.valid_to in ${OPEN}))`;
})();

/** Rows merged in one transaction: the database answers nobody else meanwhile. */
const MERGE_AT_ONCE = 2000;
const ACTIVITY_AT_ONCE = 20_000;

export interface MergeOptions {
  /** Rows merged so far. */
  progress?: (done: number) => void;
  signal?: AbortSignal;
  rowsAtOnce?: number;
}

/** So many changes are worth finding out anew how rows are spread. */
const MANY = 20_000;

/**
 * Merges a survey's staged rows in, part by part, and counts what that changes. Until the survey is
 * said to be done nothing of it is in force: its versions begin, and those before them end, with its
 * own number. What is not staged is not touched. Rows that have not changed keep their version, and what was
 * observed under a later number stands. Fails with `signal`'s reason; what was merged by then is to be
 * taken back with `unmerge`. `direct`: so many rows were put in their place as they came (Intake).
 */
export async function mergeStaged(
  db: Db,
  survey: number,
  direct: number,
  { progress, signal, rowsAtOnce = MERGE_AT_ONCE }: MergeOptions = {},
): Promise<{ added: number; altered: number; removed: number }> {
  await db.query('analyze staged');
  const counts = { added: direct, altered: 0, removed: 0 };
  const kinds = await db.query<{ kind: ObservedKind; source: string }>(
    'select distinct kind, source from staged where survey = $1',
    [survey],
  );
  let done = 0;
  for (const { kind, source } of kinds)
    for (let after: string | null = null, more = true; more;) {
      signal?.throwIfAborted();
      const [last]: { id: string }[] = await db.query<{ id: string }>(
        'select id from staged where survey = $1 and kind = $2 and source = $3 and ($4::text is null or id > $4) order by id offset $5 limit 1',
        [survey, kind, source, after, rowsAtOnce - 1],
      );
      const part = await mergePart(db, survey, kind, source, after, last?.id ?? null);
      counts.added += part.made - part.again;
      counts.altered += part.again;
      counts.removed += part.ended - part.again;
      more = last !== undefined;
      after = last?.id ?? null;
      if (more) progress?.((done += rowsAtOnce));
    }
  for (;;) {
    signal?.throwIfAborted();
    const [left] = await db.query<{ n: number }>(
      `with part as (delete from staged_activity where ctid = any(array(select ctid from staged_activity limit ${ACTIVITY_AT_ONCE})) returning *),
       merged as (insert into activity select source, item, actor, max(opened), max(edited) from part group by source, item, actor
         on conflict (source, item, actor) do update set
           opened = greatest(activity.opened, excluded.opened), edited = greatest(activity.edited, excluded.edited))
       select count(*)::int as n from part`,
    );
    if (!left!.n) break;
  }
  if (counts.added + counts.altered + counts.removed > MANY) await db.query('analyze observed');
  return counts;
}

/** One part of `mergeStaged`: the ids after one and up to another, from the first or to the last where null. */
async function mergePart(
  db: Db,
  survey: number,
  kind: ObservedKind,
  source: string,
  after: string | null,
  last: string | null,
): Promise<{ ended: number; made: number; again: number }> {
  const staged = `s.survey = $1 and s.kind = $2 and s.source = $3 and ($4::text is null or s.id > $4) and ($5::text is null or s.id <= $5)`;
  const open = `o.kind = $2 and o.source = $3 and o.id = s.id and o.valid_to is null`;
  const values = [survey, kind, source, after, last];
  return db.transaction(async (tx) => {
    // what is staged is little beside what it meets: each row of it by the index
    await planWithout(tx, ['seqscan', 'hashjoin', 'mergejoin']);
    // the same though its text is another, or it was never told by its digest
    await tx.query(
      `update observed o set digest = s.digest from staged s
       where ${staged} and ${open} and o.digest is distinct from s.digest and s.doc = o.doc`,
      values,
    );
    const [ended] = await tx.query<{ n: number }>(
      `with ended as (update observed o set valid_to = $1 from staged s
       where ${staged} and ${open} and o.valid_from < $1 and (s.doc is null or o.digest is distinct from s.digest)
       returning 1) select count(*)::int as n from ended`,
      values,
    );
    const [made] = await tx.query<{ made: number; again: number }>(
      `with made as (insert into observed (kind, source, id, doc, digest, valid_from)
       select s.kind, s.source, s.id, s.doc, s.digest, s.survey from staged s
       where ${staged} and s.doc is not null and not exists
         (select 1 from observed o where o.kind = $2 and o.source = $3 and o.id = s.id
          and (o.valid_to is null or o.valid_to > $1))
       returning id)
       select count(*)::int as made, count(*) filter (where exists (select 1 from observed o
         where o.kind = $2 and o.source = $3 and o.id = made.id and o.valid_to = $1))::int as again from made`,
      values,
    );
    return { ended: ended!.n, ...made! };
  });
}

/**
 * Takes back what a survey that did not finish has merged; doing it twice is doing it once. Runs inside `tx`. What it put
 * directly stays unseen (`takeBackDirect`).
 */
export async function unmerge(tx: Db, survey: number): Promise<void> {
  const [began] = await tx.query(
    `select 1 from job j where kind = 'survey' and subject = $1 and ${stepIs('j', 'taking over')}`,
    [survey],
  );
  if (!began) return;
  await tx.query(
    'delete from observed where valid_from = $1 and source <> all((select direct from survey where id = $1)::text[])',
    [survey],
  );
  await tx.query('update observed set valid_to = null where valid_to = $1', [survey]);
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
      `insert into observed (kind, source, id, doc, valid_from, digest) values ($1, $2, $3, $4::jsonb, $5, $6)
       on conflict (kind, source, id, valid_from) do update set doc = excluded.doc, digest = excluded.digest, valid_to = null`,
      [row.kind, row.source, row.id, json, survey, digestOf(json)],
    );
}
