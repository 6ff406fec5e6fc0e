/** PGlite: PostgreSQL in this thread. One connection, so whatever is asked waits its turn. */
import { PGlite } from '@electric-sql/pglite';
import { copyInto, type Backend, type Tx } from './backend.ts';

/** How often it is looked whether there is so much in the log of writes that a start would go through it for long. */
const LOOK_MS = 15_000;
const MUCH_BYTES = 32 * 1024 * 1024;

export async function openPglite(directory: string): Promise<Backend> {
  const pg = await PGlite.create(directory, {
    startParams: [...PGlite.defaultStartParams, '-c', 'shared_buffers=32MB'],
  });
  /** Whoever holds the database to itself; everybody else waits in line. */
  let holder: Tx = 0;
  let lastTx: Tx = 0;
  const line: (() => void)[] = [];
  const acquire = async (): Promise<Tx> => {
    while (holder) await new Promise<void>((resolve) => line.push(resolve));
    return (holder = ++lastTx);
  };
  const release = (): void => {
    holder = 0;
    line.shift()?.();
  };
  const mustHold = (tx: Tx): void => {
    if (tx !== holder) throw new Error('This transaction has ended.');
  };
  const inTurn = async <T>(tx: Tx | undefined, work: () => Promise<T>): Promise<T> => {
    if (tx !== undefined) {
      mustHold(tx);
      return work();
    }
    await acquire();
    try {
      return await work();
    } finally {
      release();
    }
  };
  // alone in its process it makes no checkpoint of itself, not even when it ends: a start would go through every write since
  let checked = '0/0';
  const checkpoint = (least: number): Promise<void> =>
    inTurn(undefined, async () => {
      const { rows } = await pg.query<{ at: string; since: number }>(
        'select pg_current_wal_insert_lsn()::text as at, (pg_current_wal_insert_lsn() - $1::pg_lsn)::float8 as since',
        [checked],
      );
      if (rows[0]!.since <= least) return;
      await pg.exec('checkpoint');
      checked = rows[0]!.at;
    });
  const looking = setInterval(() => void checkpoint(MUCH_BYTES).catch(() => undefined), LOOK_MS);
  return {
    query: (tx, sql, params) => inTurn(tx, async () => (await pg.query(sql, params)).rows),
    copyIn: (tx, table, columns, text) =>
      inTurn(tx, async () => {
        if (text === '') return;
        await pg.query(`${copyInto(table, columns)} '/dev/blob'`, [], { blob: new Blob([text]) });
      }),
    copyOut: (tx, select) =>
      inTurn(tx, async () => {
        const { blob } = await pg.query(`copy (${select}) to '/dev/blob'`);
        // without a row there is no blob either
        return new Uint8Array(blob ? await blob.arrayBuffer() : new ArrayBuffer(0));
      }),
    exec: (tx, sql) => inTurn(tx, async () => void (await pg.exec(sql))),
    async begin() {
      const tx = await acquire();
      try {
        await pg.exec('begin');
      } catch (e) {
        release();
        throw e;
      }
      return tx;
    },
    async end(tx, how) {
      mustHold(tx);
      try {
        await pg.exec(how);
      } finally {
        release();
      }
    },
    async close() {
      clearInterval(looking);
      await checkpoint(0);
      await inTurn(undefined, () => pg.close());
    },
  };
}
