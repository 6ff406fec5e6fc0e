/** The installation's key, and what is made with it. */
import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Db } from '../store/db.ts';
import { writeSetting } from '../store/settings.ts';

const BYTES = 32;
const CHECK = 'key-check';

/**
 * The key, in base64: from the environment (GATE_LANTERN_KEY), from a file that it names (GATE_LANTERN_KEY_FILE), which
 * best lies elsewhere than the data, or else from the data directory, where one is made. Throws a sentence where it is none.
 */
function masterKey(directory: string, env: NodeJS.ProcessEnv): Buffer {
  const inside = join(directory, 'secret.key');
  const named = env.GATE_LANTERN_KEY_FILE;
  const given = env.GATE_LANTERN_KEY ?? (named === undefined ? undefined : readFileSync(named, 'utf8'));
  if (given === undefined && !existsSync(inside))
    writeFileSync(inside, randomBytes(BYTES).toString('base64'), { mode: 0o600, flag: 'wx' });
  const kept = existsSync(inside) ? Buffer.from(readFileSync(inside, 'utf8'), 'base64') : undefined;
  const key = given === undefined ? kept! : Buffer.from(given, 'base64');
  if (key.length !== BYTES)
    throw new Error(
      `${given === undefined ? inside : (named ?? 'GATE_LANTERN_KEY')} is not a key of ${BYTES} bytes in base64. Put back the one this data directory was made with.`,
    );
  if (kept && !kept.equals(key))
    throw new Error(
      `The key that is given is not the one in ${inside}. Give that one, and take the file away once it works.`,
    );
  return key;
}

export class Secrets {
  private readonly master: Buffer;

  constructor(directory: string, env: NodeJS.ProcessEnv = process.env) {
    this.master = masterKey(directory, env);
  }

  /** Throws where the key is not the one with which this database was made; the first time it is noted. */
  async check(db: Db): Promise<void> {
    const [kept] = await db.query<{ value: string }>('select value from setting where name = $1', [CHECK]);
    if (!kept) return writeSetting(db, CHECK, this.seal(CHECK));
    try {
      if (this.open(kept.value) === CHECK) return;
    } catch {
      // another key opens nothing
    }
    throw new Error('The key is not the one this data directory was made with. Put that one back.');
  }

  /** A key for one purpose (HKDF, RFC 5869). */
  keyFor(purpose: string): Buffer {
    return Buffer.from(hkdfSync('sha256', this.master, '', purpose, 32));
  }

  seal(text: string): string {
    const iv = randomBytes(12);
    const cipher = createCipheriv('aes-256-gcm', this.keyFor('tokens'), iv);
    return Buffer.concat([iv, cipher.update(text, 'utf8'), cipher.final(), cipher.getAuthTag()]).toString(
      'base64',
    );
  }

  open(sealed: string): string {
    const bytes = Buffer.from(sealed, 'base64');
    const decipher = createDecipheriv('aes-256-gcm', this.keyFor('tokens'), bytes.subarray(0, 12));
    decipher.setAuthTag(bytes.subarray(-16));
    return decipher.update(bytes.subarray(12, -16), undefined, 'utf8') + decipher.final('utf8');
  }
}
