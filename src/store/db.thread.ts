import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { workerData, type MessagePort } from 'node:worker_threads';
import { serve } from '../jobs/rpc.ts';
import type { Backend, Tx } from './backend.ts';
import { beginWithEmpty, MIGRATIONS } from './empty.ts';

let backend: Backend;

function functionsFor(port: MessagePort) {
  const mine = new Set<Tx>();
  const end = async (tx: Tx, how: 'commit' | 'rollback'): Promise<void> => {
    mine.delete(tx);
    await backend.end(tx, how);
  };
  port.on('close', () => {
    // a thread that ends in the middle of a transaction leaves nothing half done
    for (const tx of mine) void end(tx, 'rollback').catch(() => undefined);
  });
  return {
    query: (tx: Tx | undefined, sql: string, params: unknown[]) => backend.query(tx, sql, params),
    copyIn: (tx: Tx | undefined, table: string, columns: string[], text: string) =>
      backend.copyIn(tx, table, columns, text),
    copyOut: async (tx: Tx | undefined, select: string, off: string[]) => {
      if (!off.length) return backend.copyOut(tx, select);
      const without = async (own: Tx): Promise<Uint8Array> => {
        for (const way of off) await backend.exec(own, `set local enable_${way} = off`);
        return backend.copyOut(own, select);
      };
      return tx === undefined ? inTransaction(without, true) : without(tx);
    },
    begin: async (snapshot?: boolean) => {
      const tx = await backend.begin(snapshot);
      mine.add(tx);
      return tx;
    },
    commit: (tx: Tx) => end(tx, 'commit'),
    rollback: (tx: Tx) => end(tx, 'rollback'),
  };
}
export type DbFunctions = ReturnType<typeof functionsFor>;

async function inTransaction<T>(work: (tx: Tx) => Promise<T>, snapshot = false): Promise<T> {
  const tx = await backend.begin(snapshot);
  let result: T;
  try {
    result = await work(tx);
  } catch (e) {
    await backend.end(tx, 'rollback').catch(() => undefined);
    throw e;
  }
  await backend.end(tx, 'commit');
  return result;
}

/** Applies what is new, in order; refuses to run over a migration that has changed since it was applied. */
async function migrate(directory: string): Promise<void> {
  await backend.query(
    undefined,
    `create table if not exists migration (
    number integer primary key, name text not null, sha256 text not null, applied_at timestamptz not null default now())`,
    [],
  );
  const applied = new Map(
    (
      (await backend.query(undefined, 'select number, name, sha256 from migration', [])) as {
        number: number;
        name: string;
        sha256: string;
      }[]
    ).map((m) => [m.number, m]),
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
    await inTransaction(async (tx) => {
      await backend.exec(tx, sql);
      await backend.query(tx, 'insert into migration (number, name, sha256) values ($1, $2, $3)', [
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
  /** `target`: a directory for PGlite, or the address of a PostgreSQL server. */
  async open(target: string, migrations: string = MIGRATIONS) {
    if (/^postgres(?:ql)?:\/\//.test(target)) {
      const { openPostgres } = await import('./postgres.ts');
      backend = await openPostgres(target, () =>
        process.stdout.write('Standing by: another Gate Lantern leads on this database.\n'),
      );
    } else {
      if (migrations === MIGRATIONS) beginWithEmpty(target);
      backend = await (await import('./pglite.ts')).openPglite(target);
    }
    await migrate(migrations);
  },
  attach: (port: MessagePort) => serve(port, functionsFor(port)),
  close: () => backend.close(),
};
export type DbRoot = typeof root;

serve((workerData as { port: MessagePort }).port, root);
