import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll } from 'vitest';
import { openDb, type OpenDb } from '../src/store/db.ts';

/** A database of a test file's own, opened before its tests and gone after them. `ready` is called once it is open. */
export function ownDb(ready: (db: OpenDb) => Promise<void> | void): void {
  const home = mkdtempSync(join(tmpdir(), 'gl-own-'));
  let db: OpenDb | undefined;
  beforeAll(async () => {
    db = await openDb(join(home, 'db'));
    await ready(db);
  }, 60_000);
  afterAll(async () => {
    await db?.close();
    rmSync(home, { recursive: true, force: true });
  });
}
