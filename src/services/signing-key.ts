/** The key with which this installation signs: evidence, and heads of the ledger. */
import { createPrivateKey, generateKeyPairSync } from 'node:crypto';
import { calculateJwkThumbprint, type JWK } from 'jose';
import type { Db } from '../store/db.ts';
import { writeSetting } from '../store/settings.ts';
import type { Secrets } from './secrets.ts';

const SETTING = 'evidence-key';

export class SigningKey {
  private made: Promise<JWK> | undefined;

  constructor(
    private readonly db: Db,
    private readonly secrets: Secrets,
  ) {}

  /** The private key, made at the first asking and kept sealed. */
  private(): Promise<JWK> {
    this.made ??= this.readOrMake();
    this.made.catch(() => (this.made = undefined));
    return this.made;
  }

  async public(): Promise<{ jwk: JWK; thumbprint: string }> {
    const { d: _, ...jwk } = await this.private();
    return { jwk, thumbprint: await calculateJwkThumbprint(jwk) };
  }

  private async readOrMake(): Promise<JWK> {
    const [kept] = await this.db.query<{ value: string }>('select value from setting where name = $1', [
      SETTING,
    ]);
    const pem = kept
      ? this.secrets.open(kept.value)
      : generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();
    if (!kept) await writeSetting(this.db, SETTING, this.secrets.seal(pem));
    return createPrivateKey(pem).export({ format: 'jwk' });
  }
}
