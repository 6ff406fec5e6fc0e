/** An empty database, made once and copied for each new one: making one from nothing takes six seconds. */
import { createHash } from 'node:crypto';
import { cpSync, existsSync, readdirSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const MIGRATIONS = fileURLToPath(new URL('./migrations', import.meta.url));
const DIST = fileURLToPath(new URL('../../dist', import.meta.url));

/** Where it is kept: another place for another PGlite and for other migrations. */
export function emptyDatabase(): string {
  const pglite = dirname(createRequire(import.meta.url).resolve('@electric-sql/pglite'));
  const hash = createHash('sha256').update(readFileSync(join(pglite, '../package.json')));
  for (const name of readdirSync(MIGRATIONS).sort())
    hash.update(name).update(readFileSync(join(MIGRATIONS, name)));
  return join(DIST, `database-${hash.digest('hex').slice(0, 12)}`);
}

/** Copies the empty database to `directory`, if there is one and nothing is there yet. */
export function beginWithEmpty(directory: string): void {
  if (existsSync(directory)) return;
  const empty = emptyDatabase();
  if (!existsSync(empty)) return;
  const half = `${directory}.new`;
  rmSync(half, { recursive: true, force: true });
  cpSync(empty, half, { recursive: true });
  renameSync(half, directory);
}
