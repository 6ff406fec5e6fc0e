import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { workerData, type MessagePort } from 'node:worker_threads';
import { PGlite } from '@electric-sql/pglite';
import { serve } from '../jobs/rpc.ts';
import { beginWithEmpty, MIGRATIONS } from './empty.ts';

let pg: PGlite;

/** Whoever holds the database to itself; everybody else waits in line. */
let holder = 0;
let lastTx = 0;
const line: (() => void)[] = [];

async function acquire(): Promise<number> {
  while (holder) await new Promise<void>((resolve) => line.push(resolve));
  return (holder = ++lastTx);
}
function release(): void {
  holder = 0;
  line.shift()?.();
}
async function inTurn<T>(tx: number | undefined, work: () => Promise<T>): Promise<T> {
  if (tx !== undefined) {
    if (tx !== holder) throw new Error('This transaction has ended.');
    return work();
  }
  await acquire();
  try {
    return await work();
  } finally {
    release();
  }
}

const quote = (name: string): string => `"${name.replaceAll('"', '""')}"`;

function functionsFor(port: MessagePort) {
  const mine = new Set<number>();
  port.on('close', () => {
    // a thread that ends in the middle of a transaction leaves nothing half done
    if (mine.has(holder)) void pg.exec('rollback').finally(release);
  });
  const end = async (tx: number, sql: 'commit' | 'rollback'): Promise<void> => {
    if (tx !== holder) throw new Error('This transaction has ended.');
    try {
      await pg.exec(sql);
    } finally {
      mine.delete(tx);
      release();
    }
  };
  return {
    query: (tx: number | undefined, sql: string, params: unknown[]) =>
      inTurn(tx, async () => (await pg.query(sql, params)).rows),
    copyIn: (tx: number | undefined, table: string, columns: string[], text: string) =>
      inTurn(tx, async () => {
        if (text === '') return;
        await pg.query(`copy ${quote(table)} (${columns.map(quote).join(', ')}) from '/dev/blob'`, [], {
          blob: new Blob([text]),
        });
      }),
    copyOut: (tx: number | undefined, select: string) =>
      inTurn(tx, async () => {
        const { blob } = await pg.query(`copy (${select}) to '/dev/blob'`);
        // without a row there is no blob either
        return new Uint8Array(blob ? await blob.arrayBuffer() : new ArrayBuffer(0));
      }),
    begin: async () => {
      const tx = await acquire();
      try {
        await pg.exec('begin');
      } catch (e) {
        release();
        throw e;
      }
      mine.add(tx);
      return tx;
    },
    commit: (tx: number) => end(tx, 'commit'),
    rollback: (tx: number) => end(tx, 'rollback'),
  };
}
export type DbFunctions = ReturnType<typeof functionsFor>;

/** Applies what is new, in order; refuses to run over a migration that has changed since it was applied. */
async function migrate(directory: string): Promise<void> {
  await pg.exec(`create table if not exists migration (
    number integer primary key, name text not null, sha256 text not null, applied_at timestamptz not null default now())`);
  const applied = new Map(
    (
      await pg.query<{ number: number; name: string; sha256: string }>(
        'select number, name, sha256 from migration',
      )
    ).rows.map((m) => [m.number, m]),
  );
  const files = readdirSync(directory)
    .filter((f) => /^\d{3}-.*\.sql$/.test(f))
    .sort();
  for (const [i, name] of files.entries()) {
    const number = Number(name.slice(0, 3));
    if (number !== i + 1)
      throw new Error(`Migrations are numbered without a gap; ${name} is not number ${i + 1}.`);
    const sql = readFileSync(join(directory, name), 'utf8');
    const sha256 = createHash('sha256').update(sql).digest('hex');
    const before = applied.get(number);
    applied.delete(number);
    if (before) {
      if (before.sha256 !== sha256)
        throw new Error(
          `The migration ${name} has changed since it was applied. Put it back as it was, and write a new one.`,
        );
      continue;
    }
    await pg.transaction(async (tx) => {
      await tx.exec(sql);
      await tx.query('insert into migration (number, name, sha256) values ($1, $2, $3)', [
        number,
        name,
        sha256,
      ]);
    });
  }
  const [left] = applied.values();
  if (left)
    throw new Error(
      `The database was made by a newer version: it has the migration ${left.name}, which is not here.`,
    );
}

const root = {
  async open(directory: string, migrations: string = MIGRATIONS) {
    if (migrations === MIGRATIONS) beginWithEmpty(directory);
    pg = await PGlite.create(directory);
    await migrate(migrations);
  },
  attach: (port: MessagePort) => serve(port, functionsFor(port)),
  close: () => inTurn(undefined, () => pg.close()),
};
export type DbRoot = typeof root;

serve((workerData as { port: MessagePort }).port, root);
