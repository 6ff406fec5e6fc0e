/** Another key for what a stopped installation keeps sealed. */
import { existsSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { openDb, storeOf } from '../store/db.ts';
import { Ledger } from './ledger.ts';
import { lock } from './lock.ts';
import { keyIn, newKey, NEXT, Secrets } from './secrets.ts';

/**
 * Seals everything anew. The new key goes where the old one was, or into the file `to`. Broken off at any moment, one of
 * the two opens everything. Throws a sentence.
 */
export async function rotateKey(
  data: string,
  to: string | undefined,
): Promise<{ sealed: number; key: string }> {
  const inside = join(data, 'secret.key');
  const next = to ?? join(data, NEXT);
  const unlock = lock(data);
  try {
    const db = await openDb(storeOf(data));
    try {
      const secrets = new Secrets(data);
      await secrets.check(db);
      // one that was made before and not taken into use is not made again: it may be the one by now
      const made = to === undefined && existsSync(next);
      const key = made ? keyIn(next) : newKey();
      if (!made) writeFileSync(next, key.toString('base64'), { mode: 0o600, flag: 'wx' });
      const { sealed } = await secrets.rotate(db, key);
      await new Ledger(db, () => new Date()).add({ who: 'operator', what: 'key.rotated', subject: 'key' });
      if (to === undefined) renameSync(next, inside);
      return { sealed, key: to ?? inside };
    } finally {
      await db.close();
    }
  } finally {
    unlock();
  }
}
