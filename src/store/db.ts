/**
 * The Db port: small, and plain PostgreSQL behind it. The database runs in a thread of its own
 * (db.thread.ts); any thread may hold a connection, and a transaction has the database to itself.
 */
import { join } from 'node:path';
import { MessageChannel, type MessagePort, type Worker } from 'node:worker_threads';
import { connect, startThread, type Remote } from '../jobs/rpc.ts';
import type { DbFunctions, DbRoot } from './db.thread.ts';

export interface Db {
  /** Rows of one statement; `params` stand for $1, $2 … */
  query<Row = Record<string, unknown>>(sql: string, params?: unknown[]): Promise<Row[]>;
  /** Runs `work` in one transaction: committed if it returns, rolled back if it throws. */
  transaction<T>(work: (tx: Db) => Promise<T>): Promise<T>;
  /** Reads, all as it is at one moment. */
  snapshot<T>(work: (tx: Db) => Promise<T>): Promise<T>;
  /** Does something once what was done in this transaction is kept; at once outside of one. */
  after(work: () => void): void;
  /** Bulk in: `text` is in PostgreSQL's COPY text format (see `copyText`). */
  copyIn(table: string, columns: readonly string[], text: string): Promise<void>;
  /**
   * Bulk out: the statement's rows in COPY text format, UTF-8. `off`: ways of planning it that are not to be taken. It is one
   * message to the database, which works on it whatever the thread that asks does meanwhile.
   */
  copyOut(select: string, off?: readonly PlanWay[]): Promise<Uint8Array>;
}

/** A way of planning that can be switched off. */
export type PlanWay = 'seqscan' | 'bitmapscan' | 'sort' | 'hashjoin' | 'mergejoin';

type Connection = Remote<DbFunctions>;

function over(connection: Connection, tx?: number, afterwards: (() => void)[] = []): Db {
  const inOne = async <T>(snapshot: boolean, work: (tx: Db) => Promise<T>): Promise<T> => {
    if (tx !== undefined) return work(db);
    const id = await connection.begin(snapshot);
    const after: (() => void)[] = [];
    let result: T;
    try {
      result = await work(over(connection, id, after));
      await connection.commit(id);
    } catch (e) {
      await connection.rollback(id).catch(() => undefined);
      throw e;
    }
    for (const one of after) one();
    return result;
  };
  const db: Db = {
    query: (sql, params = []) => connection.query(tx, sql, params) as Promise<never>,
    copyIn: (table, columns, text) => connection.copyIn(tx, table, [...columns], text),
    copyOut: (select, off = []) => connection.copyOut(tx, select, [...off]),
    transaction: (work) => inOne(false, work),
    snapshot: (work) => inOne(true, work),
    after: (work) => {
      if (tx === undefined) work();
      else afterwards.push(work);
    },
  };
  return db;
}

/** A Db over a port that another thread was given by `OpenDb.port()`. */
export const dbOver = (port: MessagePort): Db => over(connect<DbFunctions>(port));

export interface OpenDb extends Db {
  /** A port for another thread; it is to be transferred to it. */
  port(): Promise<MessagePort>;
  close(): Promise<void>;
  worker: Worker;
}

/** Where the store of a data directory is: in it, or on the PostgreSQL server that DATABASE_URL names. */
export const storeOf = (directory: string): string => process.env.DATABASE_URL ?? join(directory, 'db');

/** Opens the database in a directory (made if absent), or on a PostgreSQL server, and brings it to the newest migration. */
export async function openDb(target: string, migrations?: string): Promise<OpenDb> {
  const { remote, worker } = startThread<DbRoot>(new URL('./db.thread.ts', import.meta.url));
  const failed = new Promise<never>((_, reject) => worker.once('error', reject));
  failed.catch(() => undefined);
  try {
    await Promise.race([remote.open(target, migrations), failed]);
  } catch (e) {
    await worker.terminate();
    throw e;
  }
  const port = async (): Promise<MessagePort> => {
    const { port1, port2 } = new MessageChannel();
    await remote.attach(port1);
    return port2;
  };
  return {
    ...over(connect<DbFunctions>(await port())),
    port,
    worker,
    async close() {
      await remote.close();
      await worker.terminate();
    },
  };
}

/** Rows as COPY text: tab between values, a line each; null is \N. */
export function copyText(rows: readonly (readonly (string | number | null)[])[]): string {
  let text = '';
  for (const row of rows)
    text +=
      row.map((v) => (v === null ? '\\N' : typeof v === 'number' ? v : escapeCopy(v))).join('\t') + '\n';
  return text;
}

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };
// PostgreSQL's text cannot hold U+0000; it becomes the replacement character
const escapeCopy = (v: string): string =>
  v.replaceAll('\0', '\uFFFD').replace(/[\\\t\n\r]/g, (c) => ESCAPES[c]!);
