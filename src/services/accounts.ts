/** Our own users: signing in and out, sessions, the first steward. */
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import type { AuthenticationResponseJSON } from '@simplewebauthn/server';
import type { DateSettings } from '../core/dates.ts';
import type { Held } from '../core/access/held.ts';
import type { Db } from '../store/db.ts';
import type { Account, AccountRole, OwnSession, SecondWay, SignInSettings } from '../dto/accounts.ts';
import { putPending, readPending, takePending } from '../store/pending.ts';
import { readSignIn, writeSetting, DEFAULT_SIGN_IN } from '../store/settings.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import { checkPassword } from './passwords.ts';
import type { SecondFactor, Site } from './second-factor.ts';
import { newToken, sha256 } from './tokens.ts';

// OWASP's first choice for Argon2id (common practice): 19 MiB, two passes, one lane
const ARGON = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };

/** Tries within this time count towards slowing down. */
const WINDOW_MS = 15 * 60_000;
/** Tries that nobody waits for: at one account, or from one known device; and from one network address at all of them. */
const FREE_TRIES = 5;
const FREE_TRIES_OF_SOURCE = 30;
/** A device that has not been seen for so long is a new one. */
const DEVICE_MS = 180 * 86_400_000;
/** A session is not asked of the database again within this time: it may be busy with a survey. */
const TRUSTED_MS = 120_000;

/** Failed tries are written down when there have been so many. */
const GATHERED = new Set([1, 5, 25, 125]);

/** From where somebody signs in. `source`: the network address that asks. */
export interface From {
  source: string;
  device?: string | undefined;
  agent?: string | undefined;
}
/** A sign-in that went well: tokens of session and device go into cookies, and are kept here only as their hashes. */
export interface Signed {
  token: string;
  device: string;
  account: Account;
}
/** A right password that wants a second factor: its token is good for some minutes. */
export interface HalfSigned {
  half: string;
  wants: SecondWay[];
}
type Half = { account: Account; from: From; known: boolean };
type AccountSql = Omit<Account, 'held' | 'dates'> & {
  dates?: DateSettings | null;
  password_hash: string | null;
  active: boolean;
  held: Held | null;
};

/** An account as others see it, from its row. */
export const accountOf = ({
  id,
  name,
  address,
  role,
  held,
  dates,
}: Pick<AccountSql, 'id' | 'name' | 'address' | 'role' | 'held' | 'dates'>): Account => ({
  id,
  name,
  address,
  role,
  ...(held && { held: [held] }),
  ...(dates && { dates }),
});

export class Accounts {
  private setupCode: string | undefined;
  private readonly known = new Map<
    string,
    { account: Account; created: number; seen: number; read: number }
  >();
  private readonly decoy = hash(randomBytes(16).toString('hex'), ARGON);
  /** Whether the account of an address is opened by its password. */
  passwordOpens: (address: string) => boolean = () => true;
  /** As they are in the store. */
  settings: SignInSettings = DEFAULT_SIGN_IN;

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly second: SecondFactor,
    private readonly clock: () => Date,
    /** The operator of the server wants a new steward, once. */
    private newSteward = process.env.GATE_LANTERN_NEW_STEWARD === '1',
  ) {}

  get idleMs(): number {
    return this.settings.idleMinutes * 60_000;
  }

  private get longestMs(): number {
    return this.settings.longestHours * 3_600_000;
  }

  /** Whether a role signs in with a second factor. */
  demands(role: AccountRole): boolean {
    return this.settings.secondFactor.includes(role);
  }

  async readSettings(): Promise<void> {
    this.settings = await readSignIn(this.db);
  }

  async setSettings(settings: SignInSettings, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const before = await readSignIn(tx);
      await writeSetting(tx, 'sign-in', settings);
      const looser =
        settings.idleMinutes > before.idleMinutes ||
        settings.longestHours > before.longestHours ||
        before.secondFactor.some((role) => !settings.secondFactor.includes(role));
      await this.ledger.add(
        {
          who: by,
          what: looser ? 'sign-in.lowered' : 'sign-in.set',
          subject: 'sign-in',
          before,
          after: settings,
        },
        tx,
      );
    });
    this.settings = settings;
    this.known.clear();
  }

  /** Whether there is no account yet, so that the first visit makes one. */
  async empty(): Promise<boolean> {
    return (await this.db.query('select 1 from account limit 1')).length === 0;
  }

  /** Whether the printed code makes a steward now: at the first visit, or where the operator wants a new one. */
  async mayMakeFirst(): Promise<boolean> {
    return this.newSteward || (await this.empty());
  }

  /** The one-time code for making the first steward; the server prints it. */
  firstCode(): string {
    return (this.setupCode ??= randomBytes(6)
      .toString('hex')
      .replace(/(.{4})(?=.)/g, '$1-'));
  }

  async makeFirst(code: string, name: string, address: string, password: string): Promise<void> {
    const expected = this.firstCode();
    const right =
      code.length === expected.length && timingSafeEqual(Buffer.from(code), Buffer.from(expected));
    if (!right) {
      await this.count([['first steward', FREE_TRIES]]);
      throw new AppError(
        'wrong-code',
        403,
        'This is not the code that the server printed when it started. Look for “first steward” in its output.',
      );
    }
    if (!(await this.mayMakeFirst()))
      throw new AppError('not-first', 409, 'There is an account already. Sign in with it.');
    checkPassword(password, [name, address]);
    await this.create(name, address, 'steward', password, 'first visit');
    this.setupCode = undefined;
    this.newSteward = false;
  }

  async create(
    name: string,
    address: string,
    role: AccountRole,
    password: string,
    by: string,
  ): Promise<void> {
    const hashed = await hash(password, ARGON);
    await this.db.transaction(async (tx) => {
      await tx.query(
        "insert into account (name, address, role, password_hash, created_at, was_steward) values ($1, $2, $3, $4, $5, $3 = 'steward')",
        [name, address.toLowerCase(), role, hashed, this.clock()],
      );
      await this.ledger.add(
        { who: by, what: 'account.made', subject: address.toLowerCase(), after: { name, role } },
        tx,
      );
    });
  }

  /**
   * Signs in, or half where the account has a second factor. A device from which the account was signed in to before is
   * counted by itself, so that nobody elsewhere can lock it out.
   */
  async signIn(
    address: string,
    password: string,
    from: From = { source: 'unknown' },
  ): Promise<Signed | HalfSigned> {
    const at = address.trim().toLowerCase();
    const [row] = await this.db.query<AccountSql>(
      'select id, name, address, role, held, password_hash, active from account where address = $1',
      [at],
    );
    const device = row && from.device ? await this.knownDevice(from.device, row.id) : undefined;
    const own = device ? `device ${device}` : `account ${sha256(at)}`;
    const tries = await this.count([
      [own, FREE_TRIES],
      [`source ${from.source}`, FREE_TRIES_OF_SOURCE],
    ]);
    // an unknown address costs as much time as a wrong password
    const right = await verify(row?.password_hash ?? (await this.decoy), password).catch(() => false);
    if (!row?.active || row.password_hash === null || !right || !this.passwordOpens(row.address)) {
      await this.refused(row?.address, tries[0]!.number, own);
      throw new AppError('wrong-sign-in', 401, 'The address or the password is not right.');
    }
    const account = accountOf(row);
    // whoever knows the password was not guessing
    const rightly = async (tx: Db): Promise<void> => {
      await tx.query('delete from sign_in_try where bucket = $1 or id = $2', [own, tries[1]!.id]);
    };
    const wants = await this.second.ways(row.id);
    if (wants.length) {
      const half = newToken();
      await rightly(this.db);
      const value: Half = { account, from, known: device !== undefined };
      await putPending(this.db, `half ${sha256(half)}`, row.id, value, this.clock());
      return { half, wants };
    }
    return this.db.transaction(async (tx) => {
      await rightly(tx);
      return this.open(tx, account, from, { known: device !== undefined, strong: false });
    });
  }

  /** Makes the session of somebody who has proven who they are, in that transaction. */
  async open(
    tx: Db,
    account: Account,
    from: From,
    how: { known: boolean; strong: boolean; by?: string },
  ): Promise<Signed> {
    const token = newToken();
    const device = how.known ? from.device! : newToken();
    const now = this.clock();
    await tx.query(
      'insert into device (token_hash, account, made_at, seen_at) values ($1, $2, $3, $3) on conflict (token_hash) do update set seen_at = excluded.seen_at',
      [sha256(device), account.id, now],
    );
    await tx.query(
      'insert into session (token_hash, account, created_at, seen_at, agent, source, strong) values ($1, $2, $3, $3, $4, $5, $6)',
      [sha256(token), account.id, now, from.agent?.slice(0, 300) ?? null, from.source, how.strong],
    );
    await tx.query('update account set signed_in_at = $2 where id = $1', [account.id, now]);
    await this.ledger.add(
      {
        who: account.address,
        what: 'sign-in',
        subject: account.address,
        after: { role: account.role, ...(how.strong && { second: true }), ...(how.by && { by: how.by }) },
      },
      tx,
    );
    return { token, device, account };
  }

  /** What a half sign-in was of. */
  private async half(token: string | undefined): Promise<Half & { key: string }> {
    const key = `half ${sha256(token ?? '')}`;
    const half = await readPending<Half>(this.db, key, this.clock());
    if (!half)
      throw new AppError('no-half', 401, 'The password was given too long ago. Begin again with it.');
    return { ...half, key };
  }

  /** What the browser asks a passkey with, for a half sign-in. */
  async passkeyOptions(half: string | undefined, site: Site) {
    const { account, key } = await this.half(half);
    return this.second.challenge(account.id, `${key} passkey`, site);
  }

  /** Ends a half sign-in with its second factor; tries are counted by account. */
  async signInSecond(
    half: string | undefined,
    given: { code: string } | { passkey: AuthenticationResponseJSON; site: Site },
  ): Promise<Signed> {
    const { account, from, known, key } = await this.half(half);
    const bucket = `second ${account.id}`;
    const [tried] = await this.count([[bucket, FREE_TRIES]]);
    let signed: Signed | undefined;
    const also = async (tx: Db): Promise<void> => {
      // it may have been disabled, or used, meanwhile
      const [still] = await tx.query('select 1 from account where id = $1 and active', [account.id]);
      if (!still || !(await takePending(tx, key, this.clock())))
        throw new AppError('no-half', 401, 'Begin again with the password.');
      await tx.query('delete from sign_in_try where bucket = $1', [bucket]);
      signed = await this.open(tx, account, from, { known, strong: true });
    };
    try {
      if ('code' in given) await this.second.useCode(account, given.code, also);
      else await this.second.usePasskey(account.id, `${key} passkey`, given.passkey, given.site, also);
    } catch (e) {
      await this.refused(account.address, tried!.number, bucket);
      throw e;
    }
    return signed!;
  }

  /** Marks one's own session as signed in to with a second factor, and ends the others: in that transaction. */
  async strengthened(account: Account, token: string, tx: Db): Promise<void> {
    await tx.query('update session set strong = true where token_hash = $1', [sha256(token)]);
    await tx.query('delete from session where account = $1 and token_hash <> $2', [
      account.id,
      sha256(token),
    ]);
  }

  /** The hash of a device's token, where this account was signed in to from it. */
  private async knownDevice(token: string, account: number): Promise<string | undefined> {
    if (token.length > 200) return undefined;
    const [row] = await this.db.query<{ token_hash: string }>(
      'select token_hash from device where token_hash = $1 and account = $2 and seen_at > $3',
      [sha256(token), account, new Date(this.clock().getTime() - DEVICE_MS)],
    );
    return row?.token_hash;
  }

  /**
   * Counts a try before it is looked at, so that many at once are counted too. After its free tries each bucket waits
   * twice as long for every further one, up to fifteen minutes; what comes sooner is refused, and not counted.
   */
  private count(
    buckets: readonly [bucket: string, free: number][],
  ): Promise<{ id: number; number: number }[]> {
    const at = this.clock();
    const since = new Date(at.getTime() - WINDOW_MS);
    return this.db.transaction(async (tx) => {
      await tx.query('delete from sign_in_try where at <= $1', [since]);
      const numbers: number[] = [];
      for (const [bucket, free] of buckets) {
        const [f] = await tx.query<{ n: number; last: Date | null }>(
          'select count(*)::int as n, max(at) as last from sign_in_try where bucket = $1',
          [bucket],
        );
        numbers.push(f!.n + 1);
        if (!f?.last || f.n < free) continue;
        const wait = Math.min(WINDOW_MS, 2 ** (f.n - free) * 2000) - (at.getTime() - f.last.getTime());
        if (wait > 0)
          throw new AppError(
            'slow-down',
            429,
            `Too many failed tries. Try again in ${Math.ceil(wait / 1000)} seconds.`,
            Math.ceil(wait / 1000),
          );
      }
      const made: { id: number; number: number }[] = [];
      for (const [k, [bucket]] of buckets.entries()) {
        const [row] = await tx.query<{ id: number }>(
          'insert into sign_in_try (bucket, at) values ($1, $2) returning id',
          [bucket, at],
        );
        made.push({ id: row!.id, number: numbers[k]! });
      }
      return made;
    });
  }

  /**
   * Puts failed tries on the ledger, gathered: the first, the fifth, the twenty-fifth … of fifteen minutes. Of an
   * address that has no account nothing is kept but that there was one.
   */
  private async refused(address: string | undefined, number: number, bucket: string): Promise<void> {
    const subject = address ?? 'an address without an account';
    if (address === undefined) {
      const last = await this.db.query(
        "select 1 from ledger where what = 'sign-in.refused' and subject = $1 and at > $2 limit 1",
        [subject, new Date(this.clock().getTime() - WINDOW_MS).toISOString()],
      );
      if (last.length) return;
    } else if (!GATHERED.has(number)) return;
    await this.ledger.add({
      who: 'system',
      what: 'sign-in.refused',
      subject,
      after: { tries: number, device: bucket.startsWith('device') ? 'known' : 'unknown' },
    });
  }

  /** What is remembered of an account's sessions is asked of the database again. */
  forget(account: number): void {
    for (const [name, known] of this.known) if (known.account.id === account) this.known.delete(name);
  }

  /** Sets a password; `also` is done in the same transaction. Throws where it cannot be chosen. */
  async setPassword(
    account: { id: number; name: string; address: string },
    password: string,
    also: (tx: Db) => Promise<void>,
  ): Promise<void> {
    checkPassword(password, [account.name, account.address]);
    const hashed = await hash(password, ARGON);
    await this.db.transaction(async (tx) => {
      await tx.query('update account set password_hash = $2 where id = $1', [account.id, hashed]);
      await also(tx);
    });
  }

  async hasPassword(account: number): Promise<boolean> {
    const [row] = await this.db.query<{ password_hash: string | null }>(
      'select password_hash from account where id = $1',
      [account],
    );
    return Boolean(row?.password_hash);
  }

  /** Throws unless this is the account's password: it is asked for again before what protects an account is changed. */
  async prove(account: Account, password: string): Promise<void> {
    const own = `account ${sha256(account.address)}`;
    await this.count([[own, FREE_TRIES]]);
    const [row] = await this.db.query<{ password_hash: string | null }>(
      'select password_hash from account where id = $1',
      [account.id],
    );
    if (!row?.password_hash)
      throw new AppError('no-password', 409, 'This account has no password here: it signs in elsewhere.');
    if (!(await verify(row.password_hash, password).catch(() => false)))
      throw new AppError('wrong-password', 403, 'The password that you have now is another one.');
    await this.db.query('delete from sign_in_try where bucket = $1', [own]);
  }

  /** Changes one's own password, which ends one's other sessions. The old one is asked for, and counted like a sign-in. */
  async changePassword(account: Account, old: string, password: string, token: string): Promise<void> {
    await this.prove(account, old);
    await this.setPassword(account, password, async (tx) => {
      await tx.query('delete from session where account = $1 and token_hash <> $2', [
        account.id,
        sha256(token),
      ]);
      await tx.query('delete from device where account = $1', [account.id]);
      await this.ledger.add({ who: account.address, what: 'account.password', subject: account.address }, tx);
    });
    this.forget(account.id);
  }

  /** In which language and zone somebody reads dates; null for those of the browser. */
  async setDates(account: Account, dates: DateSettings | null): Promise<void> {
    await this.db.query('update account set dates = $2::jsonb where id = $1', [
      account.id,
      dates && JSON.stringify(dates),
    ]);
    this.forget(account.id);
  }

  /** One's own sessions, the newest first. */
  async sessions(account: Account, token: string): Promise<OwnSession[]> {
    const rows = await this.db.query<{
      id: number;
      token_hash: string;
      created_at: Date;
      seen_at: Date;
      agent: string | null;
      source: string | null;
    }>('select * from session where account = $1 and seen_at > $2 order by seen_at desc', [
      account.id,
      new Date(this.clock().getTime() - this.idleMs),
    ]);
    return rows.map((r) => ({
      id: r.id,
      since: r.created_at.toISOString(),
      seen: r.seen_at.toISOString(),
      agent: r.agent ?? '',
      source: r.source ?? '',
      own: r.token_hash === sha256(token),
    }));
  }

  /** Ends one of one's own sessions. */
  async endSession(account: Account, id: number): Promise<void> {
    await this.db.transaction(async (tx) => {
      const ended = await tx.query('delete from session where account = $1 and id = $2 returning id', [
        account.id,
        id,
      ]);
      if (ended.length)
        await this.ledger.add({ who: account.address, what: 'session.ended', subject: account.address }, tx);
    });
    this.forget(account.id);
  }

  /** Name and address of every steward. */
  stewards(): Promise<{ name: string; address: string }[]> {
    return this.db.query("select name, address from account where role = 'steward' and active order by name");
  }

  async signOut(token: string): Promise<void> {
    const account = await this.session(token);
    await this.db.transaction(async (tx) => {
      await tx.query('delete from session where token_hash = $1', [sha256(token)]);
      if (account)
        await this.ledger.add({ who: account.address, what: 'sign-out', subject: account.address }, tx);
    });
    this.known.delete(sha256(token));
  }

  /** Whether a session is still good, without using it: it goes on idling. */
  async isGood(token: string): Promise<boolean> {
    const [row] = await this.db.query<{ created_at: Date; seen_at: Date }>(
      'select created_at, seen_at from session where token_hash = $1',
      [sha256(token)],
    );
    if (!row) return false;
    const now = this.clock().getTime();
    const seen = Math.max(row.seen_at.getTime(), this.known.get(sha256(token))?.seen ?? 0);
    return now - seen <= this.idleMs && now - row.created_at.getTime() <= this.longestMs;
  }

  /** The account of a session that is still good, or undefined. */
  async session(token: string | undefined): Promise<Account | undefined> {
    if (!token || token.length > 200) return undefined;
    const now = this.clock();
    const name = sha256(token);
    const trusted = this.known.get(name);
    if (
      trusted &&
      now.getTime() - trusted.read < TRUSTED_MS &&
      now.getTime() - trusted.seen <= this.idleMs &&
      now.getTime() - trusted.created <= this.longestMs
    ) {
      trusted.seen = now.getTime();
      return trusted.account;
    }
    this.known.delete(name);
    const [row] = await this.db.query<AccountSql & { seen_at: Date; created_at: Date; strong: boolean }>(
      'select a.id, a.name, a.address, a.role, a.held, a.dates, s.seen_at, s.created_at, s.strong from session s join account a on a.id = s.account where s.token_hash = $1 and a.active',
      [name],
    );
    if (!row) return undefined;
    if (
      now.getTime() - row.seen_at.getTime() > this.idleMs ||
      now.getTime() - row.created_at.getTime() > this.longestMs
    ) {
      await this.db.query('delete from session where token_hash = $1', [sha256(token)]);
      return undefined;
    }
    if (now.getTime() - row.seen_at.getTime() > 60_000)
      await this.db.query('update session set seen_at = $2 where token_hash = $1', [sha256(token), now]);
    const account = accountOf(row);
    if (!row.strong && this.demands(row.role)) account.lacksSecond = true;
    const at = now.getTime();
    this.known.set(name, { account, created: row.created_at.getTime(), seen: at, read: at });
    return account;
  }
}
