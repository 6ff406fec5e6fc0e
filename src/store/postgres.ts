/** A PostgreSQL server in PGlite's place: the same statements over a few connections. */
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { copyInto, type Backend, type Tx } from './backend.ts';

const CONNECTIONS = 8;
const CONNECT_MS = 10_000;
/** The lock that transactions wait for each other with. Any number will do, as long as it stays. */
const TRANSACTIONS = 718_230_401;
/** The lock of whoever leads. */
const LEADER = 718_230_402;

// as PGlite gives them: whole numbers as numbers, days as midnight in UTC
const TYPES: Record<number, (text: string) => unknown> = {
  20: Number,
  1082: (text) => new Date(text),
};
const types = {
  getTypeParser: ((oid: number, format: 'text' | 'binary') =>
    TYPES[oid] ?? (pg.types.getTypeParser(oid, format) as unknown)) as typeof pg.types.getTypeParser,
};

/** `standingBy`: called where another process leads, before it is waited for. */
export async function openPostgres(url: string, standingBy?: () => void): Promise<Backend> {
  const pool = new pg.Pool({
    connectionString: url,
    max: CONNECTIONS,
    connectionTimeoutMillis: CONNECT_MS,
    application_name: 'gate-lantern',
    types,
  });
  // a connection that breaks while nobody uses it is made anew when one is wanted
  pool.on('error', () => undefined);
  // as PGlite has it: a moment is written in UTC
  pool.on('connect', (client) => void client.query("set time zone 'UTC'").catch(() => undefined));
  const leader = await pool.connect();
  const [{ leads } = { leads: false }] = (
    await leader.query<{ leads: boolean }>('select pg_try_advisory_lock($1) as leads', [LEADER])
  ).rows;
  if (!leads) {
    standingBy?.();
    // the server lets go of it when whoever held it is gone
    await leader.query('select pg_advisory_lock($1)', [LEADER]);
  }
  leader.on('error', () => {
    // without its connection it does not lead any more: another may, and two must not
    process.stderr.write('The connection to the database is lost. Start again.\n');
    process.exit(1);
  });
  const open = new Map<Tx, pg.PoolClient>();
  let lastTx: Tx = 0;
  const clientOf = (tx: Tx): pg.PoolClient => {
    const client = open.get(tx);
    if (!client) throw new Error('This transaction has ended.');
    return client;
  };
  const using = async <T>(tx: Tx | undefined, work: (client: pg.PoolClient) => Promise<T>): Promise<T> => {
    if (tx !== undefined) return work(clientOf(tx));
    const client = await pool.connect();
    try {
      return await work(client);
    } finally {
      client.release();
    }
  };
  return {
    query: (tx, sql, params) =>
      using(tx, async (client) => (await client.query(sql, params)).rows as unknown[]),
    copyIn: (tx, table, columns, text) =>
      using(tx, async (client) => {
        if (text !== '')
          await pipeline(Readable.from([text]), client.query(copyFrom(`${copyInto(table, columns)} stdin`)));
      }),
    copyOut: (tx, select) =>
      using(tx, async (client) => {
        const pieces: Buffer[] = [];
        for await (const piece of client.query(copyTo(`copy (${select}) to stdout`)))
          pieces.push(piece as Buffer);
        return new Uint8Array(Buffer.concat(pieces));
      }),
    exec: async (tx, sql) => void (await clientOf(tx).query(sql)),
    async begin(snapshot) {
      const client = await pool.connect();
      try {
        if (snapshot) await client.query('begin isolation level repeatable read read only');
        else {
          await client.query('begin');
          await client.query('select pg_advisory_xact_lock($1)', [TRANSACTIONS]);
        }
      } catch (e) {
        client.release(true);
        throw e;
      }
      open.set(++lastTx, client);
      return lastTx;
    },
    async end(tx, how) {
      const client = clientOf(tx);
      open.delete(tx);
      try {
        await client.query(how);
        client.release();
      } catch (e) {
        client.release(true);
        throw e;
      }
    },
    async close() {
      leader.removeAllListeners('error').release(true);
      await pool.end();
    },
  };
}
