import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { afterAll, beforeAll } from 'vitest';
import { openDb, type OpenDb } from '../src/store/db.ts';

/** The address of a PostgreSQL server that these tests use in PGlite's place (vitest.config.ts). */
export const SERVER = process.env.STORE;

/** A new database on the server, and how it is taken away again. */
export async function newDatabase(server: string): Promise<{ url: string; drop: () => Promise<void> }> {
  const name = `own_${randomBytes(6).toString('hex')}`;
  const run = async (sql: string): Promise<void> => {
    const client = new pg.Client({ connectionString: server });
    await client.connect();
    await client.query(sql);
    await client.end();
  };
  await run(`create database ${name}`);
  const url = new URL(server);
  url.pathname = `/${name}`;
  return { url: url.href, drop: () => run(`drop database ${name} with (force)`) };
}

/** A database of a test file's own, opened before its tests and gone after them. `ready` is called once it is open. */
export function ownDb(ready: (db: OpenDb) => Promise<void> | void): void {
  const home = mkdtempSync(join(tmpdir(), 'gl-own-'));
  let db: OpenDb | undefined;
  let drop: (() => Promise<void>) | undefined;
  beforeAll(async () => {
    const made = SERVER && (await newDatabase(SERVER));
    if (made) ({ drop } = made);
    db = await openDb(made ? made.url : join(home, 'db'));
    await ready(db);
  });
  afterAll(async () => {
    await db?.close();
    await drop?.();
    rmSync(home, { recursive: true, force: true });
  });
}
