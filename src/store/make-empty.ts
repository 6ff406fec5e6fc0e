/** Makes the empty database that new ones begin with, unless it is there. */
import { existsSync, mkdirSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { openDb } from './db.ts';
import { emptyDatabase } from './empty.ts';

const target = emptyDatabase();
if (!existsSync(target)) {
  const dist = dirname(target);
  mkdirSync(dist, { recursive: true });
  for (const name of readdirSync(dist))
    if (name.startsWith('database-')) rmSync(join(dist, name), { recursive: true });
  const half = `${target}.new`;
  const db = await openDb(half);
  await db.close();
  renameSync(half, target);
}
