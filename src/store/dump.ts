/**
 * The whole store as a stream, and back: every table by COPY, in the order in which they may be put in again. It is the
 * same of PGlite and of a PostgreSQL server.
 */
import { createHash } from 'node:crypto';
import type { Db } from './db.ts';

/** So many pages of a table are read at once: 16 MB. */
const PAGES = 2000;

interface Table {
  name: string;
  columns: string[];
}
export type Piece = { table: string; columns: string[] } | { rows: Uint8Array };
/** How many rows each table has, and a hash over them (SHA-256, hexadecimal). */
export type Counted = Record<string, { rows: number; sha256: string }>;

const quote = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** Tables with what they keep, those that are pointed at before those that point. Work tables are left out. */
async function tablesOf(db: Db): Promise<Table[]> {
  const columns = await db.query<{ table: string; column: string }>(
    `select c.relname as table, a.attname as column from pg_class c join pg_attribute a on a.attrelid = c.oid
     where c.relnamespace = 'public'::regnamespace and c.relkind = 'r' and c.relpersistence = 'p'
       and c.relname <> 'migration' and a.attnum > 0 and not a.attisdropped and a.attgenerated = '' order by c.relname, a.attnum`,
  );
  const points = await db.query<{ from: string; to: string }>(
    `select f.relname as from, t.relname as to from pg_constraint k join pg_class f on f.oid = k.conrelid
     join pg_class t on t.oid = k.confrelid where k.contype = 'f' and k.conrelid <> k.confrelid`,
  );
  const of = new Map<string, string[]>();
  for (const { table, column } of columns) of.set(table, [...(of.get(table) ?? []), column]);
  const order: Table[] = [];
  const placed = new Set<string>();
  const place = (name: string): void => {
    if (placed.has(name)) return;
    placed.add(name);
    for (const p of points) if (p.from === name) place(p.to);
    order.push({ name, columns: of.get(name)! });
  };
  for (const name of of.keys()) place(name);
  return order;
}

/** The migrations that a store has, by their hashes: stores of the same have the same tables. */
export const schemaOf = async (db: Db): Promise<string[]> =>
  (await db.query<{ sha256: string }>('select sha256 from migration order by number')).map((m) => m.sha256);

/** What rows come to in whatever order they are: a sum of their hashes, modulo 2¹²⁸. */
export class RowSum {
  private sum = 0n;

  /** Lines, each a row. */
  add(text: Uint8Array): void {
    for (let from = 0, to; (to = text.indexOf(10, from)) >= 0; from = to + 1) {
      const h = createHash('sha256').update(text.subarray(from, to)).digest();
      this.sum += (h.readBigUInt64LE(0) << 64n) | h.readBigUInt64LE(8);
    }
  }

  get value(): bigint {
    return BigInt.asUintN(128, this.sum);
  }
}

/**
 * Reads all tables in one transaction: what is written meanwhile is not in it. `counted` is filled on the way, and so is
 * `sums`, which does not depend on the order in which rows lie.
 */
export async function* dumpTables(
  tx: Db,
  counted: Counted,
  sums?: Map<string, RowSum>,
): AsyncGenerator<Piece> {
  for (const { name, columns } of await tablesOf(tx)) {
    yield { table: name, columns };
    const [size] = await tx.query<{ pages: number }>(
      "select (pg_relation_size($1::regclass) / current_setting('block_size')::int)::int as pages",
      [quote(name)],
    );
    const hash = createHash('sha256');
    let rows = 0;
    const sum = new RowSum();
    sums?.set(name, sum);
    for (let page = 0; page < size!.pages; page += PAGES) {
      const text = await tx.copyOut(
        `select ${columns.map(quote).join(', ')} from ${quote(name)} where ctid >= '(${page},0)' and ctid < '(${page + PAGES},0)'`,
      );
      for (const byte of text) if (byte === 10) rows++;
      hash.update(text);
      if (sums) sum.add(text);
      if (text.length) yield { rows: text };
    }
    counted[name] = { rows, sha256: hash.digest('hex') };
  }
}

/** Puts tables in, into a store that has none of their rows, in one transaction; gives what came in. */
export async function restoreTables(tx: Db, pieces: AsyncIterable<Piece>): Promise<Counted> {
  const known = new Map((await tablesOf(tx)).map((t) => [t.name, t]));
  const counted: Counted = {};
  let table:
    { name: string; columns: string[]; hash: ReturnType<typeof createHash>; rows: number } | undefined;
  const end = (): void => {
    if (table) counted[table.name] = { rows: table.rows, sha256: table.hash.digest('hex') };
  };
  for await (const piece of pieces) {
    if ('table' in piece) {
      end();
      const { table: name, columns } = piece;
      if (!known.has(name) || columns.some((c) => !known.get(name)!.columns.includes(c)))
        throw new Error(`The backup has a table or column of ${name} that this version does not know.`);
      table = { name, columns, hash: createHash('sha256'), rows: 0 };
      // what a new store begins with is in the backup as well
      await tx.query(`delete from ${quote(name)}`);
    } else {
      table!.hash.update(piece.rows);
      for (const byte of piece.rows) if (byte === 10) table!.rows++;
      await tx.copyIn(table!.name, table!.columns, new TextDecoder().decode(piece.rows));
    }
  }
  end();
  await setNumbers(tx);
  return counted;
}

/** New rows are numbered on from those that are there. */
async function setNumbers(tx: Db): Promise<void> {
  const columns = await tx.query<{ table: string; column: string; sequence: string }>(
    `select c.relname as table, a.attname as column, pg_get_serial_sequence(quote_ident(c.relname), a.attname) as sequence
     from pg_class c join pg_attribute a on a.attrelid = c.oid
     where c.relnamespace = 'public'::regnamespace and c.relkind = 'r' and a.attidentity <> '' and not a.attisdropped`,
  );
  for (const { table, column, sequence } of columns)
    await tx.query(
      `select setval($1::regclass, coalesce((select max(${quote(column)}) from ${quote(table)}), 0) + 1, false)`,
      [sequence],
    );
}
