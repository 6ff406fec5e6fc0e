/** The installation's key, and what is made with it. */
import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';
import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Db } from '../store/db.ts';
import { writeSetting } from '../store/settings.ts';

const BYTES = 32;
export const newKey = (): Buffer => randomBytes(BYTES);
/** The key in a file, where it stands in base64. */
export const keyIn = (file: string): Buffer => Buffer.from(readFileSync(file, 'utf8'), 'base64');
/** The key that is to take the place of the one in the data directory. */
export const NEXT = 'secret.key.next';
const CHECK = 'key-check';
/** The key that hashes of values are made with, sealed; where there is none it is made of the installation's key. */
const VALUES = 'values-key';

/**
 * The key, in base64: from the environment (GATE_LANTERN_KEY), from a file that it names (GATE_LANTERN_KEY_FILE), which
 * best lies elsewhere than the data, or else from the data directory, where one is made. Throws a sentence where it is none.
 */
function masterKey(directory: string, env: NodeJS.ProcessEnv): Buffer {
  const inside = join(directory, 'secret.key');
  const named = env.GATE_LANTERN_KEY_FILE;
  const given = env.GATE_LANTERN_KEY ?? (named === undefined ? undefined : readFileSync(named, 'utf8'));
  if (given === undefined && !existsSync(inside))
    writeFileSync(inside, newKey().toString('base64'), { mode: 0o600, flag: 'wx' });
  const kept = existsSync(inside) ? keyIn(inside) : undefined;
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

/** Settings that are sealed, or hold something that is, at a path within them. */
const SEALED_SETTINGS: readonly (readonly [name: string, ...path: string[]])[] = [
  [CHECK],
  [VALUES],
  ['evidence-key'],
  ['sso', 'secret'],
  ['sso-proposed', 'secret'],
  ['mail', 'password'],
];
/** Columns that are sealed, with the key of their rows. */
const SEALED_COLUMNS = [
  ['source', 'token', 'id'],
  ['account', 'totp', 'id'],
  ['custom_type', 'cases', 'id'],
  ['event_source', 'secret', 'source'],
] as const;

export class Secrets {
  private master: Buffer;
  /** A key that was about to take this one's place. */
  private readonly next: string | undefined;

  /** With the key that the environment gives, or the one in the data directory; or with one that is given itself. */
  constructor(from: string | Buffer, env: NodeJS.ProcessEnv = process.env) {
    if (typeof from !== 'string') {
      this.master = from;
      return;
    }
    this.master = masterKey(from, env);
    const next = join(from, NEXT);
    if (existsSync(next)) this.next = next;
  }

  /**
   * Puts another key in this one's place: everything that is sealed is sealed anew in one transaction. Hashes of values
   * stay what they are. The caller keeps the new key before, and takes it into use after.
   */
  async rotate(db: Db, master: Buffer): Promise<{ sealed: number }> {
    const next = new Secrets(master);
    let sealed = 0;
    const anew = (text: string): string => {
      sealed++;
      return next.seal(this.open(text));
    };
    await db.transaction(async (tx) => {
      await this.check(tx);
      await writeSetting(tx, VALUES, this.seal((await this.valuesKey(tx)).toString('base64')));
      for (const [name, ...path] of SEALED_SETTINGS) {
        const [row] = await tx.query<{ value: unknown }>('select value from setting where name = $1', [name]);
        if (row?.value == null) continue;
        const [field] = path;
        const value = row.value as Record<string, string>;
        if (field !== undefined && !value[field]) continue;
        await writeSetting(
          tx,
          name,
          field === undefined ? anew(row.value as string) : { ...value, [field]: anew(value[field]!) },
        );
      }
      for (const [table, column, key] of SEALED_COLUMNS) {
        const rows = await tx.query<{ key: string | number; text: string }>(
          `select ${key} as key, ${column} as text from ${table} where ${column} is not null`,
        );
        for (const row of rows)
          await tx.query(`update ${table} set ${column} = $2 where ${key} = $1`, [row.key, anew(row.text)]);
      }
      // what is half done is begun again
      await tx.query('delete from pending');
    });
    return { sealed };
  }

  /** The key that hashes of values are made with: it outlives the installation's. */
  async valuesKey(db: Db): Promise<Buffer> {
    const [kept] = await db.query<{ value: string }>('select value from setting where name = $1', [VALUES]);
    return kept ? Buffer.from(this.open(kept.value), 'base64') : this.keyFor('values');
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
    // a change of keys was broken off between the database and the file
    if (this.next && this.adopt(this.next, kept.value)) return;
    throw new Error('The key is not the one this data directory was made with. Put that one back.');
  }

  /** Takes the key of a file where it is the one that opens the store now. */
  private adopt(file: string, sealed: string): boolean {
    const key = keyIn(file);
    try {
      if (key.length !== BYTES || new Secrets(key).open(sealed) !== CHECK) return false;
    } catch {
      return false;
    }
    renameSync(file, file.slice(0, -'.next'.length));
    this.master = key;
    return true;
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
