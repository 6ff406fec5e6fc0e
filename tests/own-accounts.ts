import { AccountAdmin } from '../src/services/account-admin.ts';
import { Accounts, type HalfSigned, type Signed } from '../src/services/accounts.ts';
import { Ledger } from '../src/services/ledger.ts';
import { SecondFactor } from '../src/services/second-factor.ts';
import { Secrets } from '../src/services/secrets.ts';
import type { OpenDb } from '../src/store/db.ts';

/** Accounts over a test's own database, with a key of their own. */
export function ownAccounts(db: OpenDb, clock: () => Date) {
  const ledger = new Ledger(db, clock);
  const secrets = new Secrets('', { GATE_LANTERN_KEY: Buffer.alloc(32, 7).toString('base64') });
  const second = new SecondFactor(db, ledger, secrets, clock);
  const accounts = new Accounts(db, ledger, second, clock);
  return { ledger, secrets, second, accounts, admin: new AccountAdmin(db, ledger, accounts, second, clock) };
}

/** A sign-in that is whole. Throws where it wants a second factor. */
export async function whole(sign: Promise<Signed | HalfSigned>): Promise<Signed> {
  const signed = await sign;
  if ('half' in signed) throw new Error('It wants a second factor.');
  return signed;
}

/** A sign-in that wants a second factor. */
export async function half(sign: Promise<Signed | HalfSigned>): Promise<HalfSigned> {
  const signed = await sign;
  if (!('half' in signed)) throw new Error('It is whole.');
  return signed;
}
