/**
 * The second factor: one-time codes (TOTP, RFC 6238), passkeys (Web Authentication Level 3), and codes for the day either
 * is lost. A seed is kept sealed, a recovery code as its hash, of a passkey its public key alone.
 */
import { randomBytes } from 'node:crypto';
import type {
  AuthenticationResponseJSON,
  PublicKeyCredentialCreationOptionsJSON,
  PublicKeyCredentialRequestOptionsJSON,
  RegistrationResponseJSON,
} from '@simplewebauthn/server';
import { Secret, TOTP } from 'otpauth';
import type { SecondFactorState, SecondWay } from '../dto/accounts.ts';
import type { Db } from '../store/db.ts';
import { putPending, readPending, takePending } from '../store/pending.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import type { Secrets } from './secrets.ts';
import { sha256 } from './tokens.ts';

const NAME = 'Gate Lantern';
/** What RFC 6238 has by default, and what every app reads. */
const TOTP_OPTIONS = { issuer: NAME, algorithm: 'SHA1', digits: 6, period: 30 } as const;
/** A code of the step before or after is taken too: clocks differ. */
const WINDOW = 1;
const RECOVERY_CODES = 10;

/** Under which name this is reached, as passkeys are bound to it. */
export interface Site {
  /** The host's name without its port. */
  rpId: string;
  origin: string;
}
type Who = { id: number; name: string; address: string };
interface PasskeyRow {
  id: number;
  credential: string;
  public_key: string;
  counter: string | number;
  transports: string[];
  name: string;
  made_at: Date;
  used_at: Date | null;
}

/** Four groups of four of 32 signs that are not mistaken for each other: 80 bits. */
function recoveryCode(): string {
  const signs = 'abcdefghjkmnpqrstuvwxyz023456789';
  const text = [...randomBytes(16)].map((b) => signs[b % 32]).join('');
  return text.replace(/(.{4})(?=.)/g, '$1-');
}
const plainCode = (code: string): string => code.replace(/[\s-]/g, '').toLowerCase();

const wrongCode = (): AppError =>
  new AppError('wrong-code', 401, 'This code is not right, was used already, or is too old.');
const wrongPasskey = (): AppError =>
  new AppError('wrong-passkey', 401, 'This passkey could not be verified here.');

/** Columns of an account `a` that say which ways it has. */
export const WAYS =
  'totp is not null as code, exists (select 1 from passkey p where p.account = a.id) as passkey';
export type Ways = Record<SecondWay, boolean>;
export const waysOf = (row: Ways): SecondWay[] => (['code', 'passkey'] as const).filter((way) => row[way]);

export class SecondFactor {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly secrets: Secrets,
    private readonly clock: () => Date,
  ) {}

  /** The ways an account can give its second factor; none where it has none. */
  async ways(account: number): Promise<SecondWay[]> {
    const [row] = await this.db.query<Ways>(`select ${WAYS} from account a where id = $1`, [account]);
    return row ? waysOf(row) : [];
  }

  async state(account: number): Promise<Omit<SecondFactorState, 'demanded' | 'hasPassword'>> {
    const passkeys = await this.passkeysOf(account);
    const [left] = await this.db.query<{ n: number }>(
      'select count(*)::int as n from recovery_code where account = $1',
      [account],
    );
    return {
      code: (await this.ways(account)).includes('code'),
      recoveryLeft: left!.n,
      passkeys: passkeys.map((p) => ({
        id: p.id,
        name: p.name,
        madeAt: p.made_at.toISOString(),
        usedAt: p.used_at?.toISOString() ?? null,
      })),
    };
  }

  /** A new seed, which counts once a code of it was given. As text, as the `otpauth:` address that apps read, and drawn. */
  async beginCode(who: Who): Promise<{ seed: string; path: string; size: number }> {
    const secret = new Secret({ size: 20 });
    await putPending(this.db, `totp ${who.id}`, who.id, this.secrets.seal(secret.base32), this.clock());
    const totp = new TOTP({ ...TOTP_OPTIONS, label: who.address, secret });
    const { default: QRCode } = await import('qrcode');
    const { modules } = QRCode.create(totp.toString(), { errorCorrectionLevel: 'M' });
    const path: string[] = [];
    for (let y = 0; y < modules.size; y++)
      for (let x = 0; x < modules.size; x++) if (modules.get(y, x)) path.push(`M${x} ${y}h1v1h-1z`);
    return { seed: secret.base32, path: path.join(''), size: modules.size };
  }

  /** Takes the new seed up with a code of it; with the first factor of all come recovery codes, told once. */
  async confirmCode(who: Who, code: string, also: (tx: Db) => Promise<void>): Promise<string[] | undefined> {
    const now = this.clock();
    const sealed = await readPending<string>(this.db, `totp ${who.id}`, now);
    if (sealed === undefined)
      throw new AppError('no-seed', 409, 'This took too long. Begin again with a new code to scan.');
    const step = this.stepOf(this.secrets.open(sealed), code);
    if (step === undefined) throw wrongCode();
    return this.db.transaction(async (tx) => {
      if ((await takePending(tx, `totp ${who.id}`, now)) !== sealed) throw wrongCode();
      await tx.query('update account set totp = $2, totp_step = $3 where id = $1', [who.id, sealed, step]);
      await this.ledger.add(
        { who: who.address, what: 'second-factor.added', subject: who.address, after: { way: 'code' } },
        tx,
      );
      await also(tx);
      return this.firstCodes(tx, who.id);
    });
  }

  async removeCode(who: Who): Promise<void> {
    await this.db.transaction(async (tx) => {
      await tx.query('update account set totp = null, totp_step = null where id = $1', [who.id]);
      await this.removed(tx, who, who.address, { way: 'code' });
    });
  }

  /** New recovery codes in place of those of before. */
  async newCodes(who: Who): Promise<string[]> {
    return this.db.transaction(async (tx) => {
      const codes = await this.makeCodes(tx, who.id);
      await this.ledger.add(
        {
          who: who.address,
          what: 'second-factor.codes',
          subject: who.address,
          after: { codes: codes.length },
        },
        tx,
      );
      return codes;
    });
  }

  private async firstCodes(tx: Db, account: number): Promise<string[] | undefined> {
    const there = await tx.query('select 1 from recovery_code where account = $1 limit 1', [account]);
    return there.length ? undefined : this.makeCodes(tx, account);
  }

  private async makeCodes(tx: Db, account: number): Promise<string[]> {
    await tx.query('delete from recovery_code where account = $1', [account]);
    const codes = Array.from({ length: RECOVERY_CODES }, recoveryCode);
    for (const code of codes)
      await tx.query('insert into recovery_code (account, code_hash) values ($1, $2)', [
        account,
        sha256(plainCode(code)),
      ]);
    return codes;
  }

  /** The time step of a code that is right now, or undefined. */
  private stepOf(seed: string, code: string): number | undefined {
    const timestamp = this.clock().getTime();
    const totp = new TOTP({ ...TOTP_OPTIONS, secret: Secret.fromBase32(seed) });
    const delta = totp.validate({ token: code.replace(/\s/g, ''), window: WINDOW, timestamp });
    return delta === null ? undefined : totp.counter({ timestamp }) + delta;
  }

  /** Uses a one-time or recovery code up. Throws where it is not right, or was used. */
  async useCode(who: Who, code: string, also: (tx: Db) => Promise<void>): Promise<void> {
    const [row] = await this.db.query<{ totp: string | null }>('select totp from account where id = $1', [
      who.id,
    ]);
    const step =
      row?.totp && /^\s*(?:\d\s*){6}$/.test(code)
        ? this.stepOf(this.secrets.open(row.totp), code)
        : undefined;
    await this.db.transaction(async (tx) => {
      const used =
        step !== undefined
          ? await tx.query(
              'update account set totp_step = $2 where id = $1 and totp = $3 and coalesce(totp_step, -1) < $2 returning id',
              [who.id, step, row!.totp],
            )
          : await tx.query(
              'delete from recovery_code where account = $1 and code_hash = $2 returning account',
              [who.id, sha256(plainCode(code))],
            );
      if (!used.length) throw wrongCode();
      if (step === undefined)
        await this.ledger.add(
          { who: who.address, what: 'second-factor.recovery-used', subject: who.address },
          tx,
        );
      await also(tx);
    });
  }

  private passkeysOf(account: number): Promise<PasskeyRow[]> {
    return this.db.query('select * from passkey where account = $1 order by id', [account]);
  }

  async beginPasskey(who: Who, site: Site): Promise<PublicKeyCredentialCreationOptionsJSON> {
    const { generateRegistrationOptions } = await import('@simplewebauthn/server');
    const options = await generateRegistrationOptions({
      rpName: NAME,
      rpID: site.rpId,
      userName: who.address,
      userDisplayName: who.name,
      userID: new TextEncoder().encode(`account ${who.id}`),
      attestationType: 'none',
      excludeCredentials: (await this.passkeysOf(who.id)).map((p) => ({ id: p.credential })),
      authenticatorSelection: { residentKey: 'preferred', userVerification: 'preferred' },
    });
    await putPending(this.db, `passkey ${who.id}`, who.id, options.challenge, this.clock());
    return options;
  }

  async addPasskey(
    who: Who,
    name: string,
    response: RegistrationResponseJSON,
    site: Site,
    also: (tx: Db) => Promise<void>,
  ): Promise<string[] | undefined> {
    const challenge = await takePending<string>(this.db, `passkey ${who.id}`, this.clock());
    if (challenge === undefined) throw wrongPasskey();
    const { verifyRegistrationResponse } = await import('@simplewebauthn/server');
    const { verified, registrationInfo } = await verifyRegistrationResponse({
      response,
      expectedChallenge: challenge,
      expectedOrigin: site.origin,
      expectedRPID: site.rpId,
      requireUserVerification: false,
    }).catch(() => {
      throw wrongPasskey();
    });
    if (!verified) throw wrongPasskey();
    const { credential } = registrationInfo;
    return this.db.transaction(async (tx) => {
      const made = await tx.query(
        `insert into passkey (account, credential, public_key, counter, transports, name, made_at)
         values ($1, $2, $3, $4, $5::jsonb, $6, $7) on conflict do nothing returning id`,
        [
          who.id,
          credential.id,
          Buffer.from(credential.publicKey).toString('base64'),
          credential.counter,
          JSON.stringify(credential.transports ?? []),
          name,
          this.clock(),
        ],
      );
      if (!made.length) throw new AppError('passkey-there', 409, 'This passkey is here already.');
      await this.ledger.add(
        {
          who: who.address,
          what: 'second-factor.added',
          subject: who.address,
          after: { way: 'passkey', name },
        },
        tx,
      );
      await also(tx);
      return this.firstCodes(tx, who.id);
    });
  }

  async removePasskey(who: Who, id: number): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [gone] = await tx.query<{ name: string }>(
        'delete from passkey where account = $1 and id = $2 returning name',
        [who.id, id],
      );
      if (gone) await this.removed(tx, who, who.address, { way: 'passkey', name: gone.name });
    });
  }

  /** Takes every factor from an account: of one that has lost them. */
  async reset(tx: Db, who: Who, by: string): Promise<void> {
    await tx.query('update account set totp = null, totp_step = null where id = $1', [who.id]);
    await tx.query('delete from passkey where account = $1', [who.id]);
    await this.removed(tx, who, by, { way: 'all' });
  }

  /** Says that one was removed; without any other left, recovery codes go too. */
  private async removed(tx: Db, who: Who, by: string, before: object): Promise<void> {
    await tx.query(
      `delete from recovery_code r using account a where r.account = $1 and a.id = $1 and a.totp is null
       and not exists (select 1 from passkey p where p.account = $1)`,
      [who.id],
    );
    await this.ledger.add({ who: by, what: 'second-factor.removed', subject: who.address, before }, tx);
  }

  /** What a browser is asked for a passkey with; the challenge is kept under `key`. */
  async challenge(account: number, key: string, site: Site): Promise<PublicKeyCredentialRequestOptionsJSON> {
    const { generateAuthenticationOptions } = await import('@simplewebauthn/server');
    const options = await generateAuthenticationOptions({
      rpID: site.rpId,
      userVerification: 'preferred',
      allowCredentials: (await this.passkeysOf(account)).map((p) => ({
        id: p.credential,
        transports: p.transports as ('usb' | 'internal')[],
      })),
    });
    await putPending(this.db, key, account, options.challenge, this.clock());
    return options;
  }

  /** Verifies what a passkey answered to the challenge kept under `key`. Throws where it is not right. */
  async usePasskey(
    account: number,
    key: string,
    response: AuthenticationResponseJSON,
    site: Site,
    also: (tx: Db) => Promise<void>,
  ): Promise<void> {
    const challenge = await takePending<string>(this.db, key, this.clock());
    const passkey = (await this.passkeysOf(account)).find((p) => p.credential === response.id);
    if (challenge === undefined || !passkey) throw wrongPasskey();
    const { verifyAuthenticationResponse } = await import('@simplewebauthn/server');
    const { verified, authenticationInfo } = await verifyAuthenticationResponse({
      response,
      expectedChallenge: challenge,
      expectedOrigin: site.origin,
      expectedRPID: site.rpId,
      credential: {
        id: passkey.credential,
        publicKey: new Uint8Array(Buffer.from(passkey.public_key, 'base64')),
        counter: Number(passkey.counter),
      },
      requireUserVerification: false,
    }).catch(() => {
      throw wrongPasskey();
    });
    if (!verified) throw wrongPasskey();
    await this.db.transaction(async (tx) => {
      await tx.query('update passkey set counter = $2, used_at = $3 where id = $1', [
        passkey.id,
        authenticationInfo.newCounter,
        this.clock(),
      ]);
      await also(tx);
    });
  }
}
