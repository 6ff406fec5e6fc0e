/** PGlite: PostgreSQL in this thread. One connection, so whatever is asked waits its turn. */
import { PGlite } from '@electric-sql/pglite';
import { copyInto, type Backend, type Tx } from './backend.ts';

export async function openPglite(directory: string): Promise<Backend> {
  const pg = await PGlite.create(directory);
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
    close: () => inTurn(undefined, () => pg.close()),
  };
}
