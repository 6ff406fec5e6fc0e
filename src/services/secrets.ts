/** The installation's key, in a file only its user can read, and what is made with it. */
import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

export class Secrets {
  private readonly master: Buffer;

  constructor(directory: string) {
    const file = join(directory, 'secret.key');
    if (!existsSync(file))
      writeFileSync(file, randomBytes(32).toString('base64'), { mode: 0o600, flag: 'wx' });
    this.master = Buffer.from(readFileSync(file, 'utf8'), 'base64');
    if (this.master.length !== 32)
      throw new Error(
        `${file} is not a key of 32 bytes. Put back the one this data directory was made with.`,
      );
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
