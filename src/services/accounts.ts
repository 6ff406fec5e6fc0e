/** Our own users: signing in and out, sessions, the first steward. */
import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import type { Db } from '../store/db.ts';
import type { Account, AccountRole } from '../dto/accounts.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';

// OWASP's first choice for Argon2id (common practice): 19 MiB, two passes, one lane
const ARGON = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };

const IDLE_MS = 30 * 60_000;
const LONGEST_MS = 12 * 3_600_000;
/** Failed tries within this time count towards slowing down. */
const FAILURE_WINDOW_MS = 15 * 60_000;
const FREE_TRIES = 5;
/** A session is not asked of the database again within this time: it may be busy with a survey. */
const TRUSTED_MS = 120_000;

const sha256 = (text: string): string => createHash('sha256').update(text).digest('hex');

export class Accounts {
  private setupCode: string | undefined;
  private readonly known = new Map<
    string,
    { account: Account; created: number; seen: number; read: number }
  >();
  private readonly decoy = hash(randomBytes(16).toString('hex'), ARGON);

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly clock: () => Date,
  ) {}

  /** Whether there is no account yet, so that the first visit makes one. */
  async empty(): Promise<boolean> {
    return (await this.db.query('select 1 from account limit 1')).length === 0;
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
      await this.slowDown('first-steward');
      await this.db.query('insert into sign_in_failure (address, at) values ($1, $2)', [
        'first-steward',
        this.clock(),
      ]);
      throw new AppError(
        'wrong-code',
        403,
        'This is not the code that the server printed when it started. Look for “first steward” in its output.',
      );
    }
    if (!(await this.empty()))
      throw new AppError('not-first', 409, 'There is an account already. Sign in with it.');
    await this.create(name, address, 'steward', password, 'first visit');
    this.setupCode = undefined;
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
        'insert into account (name, address, role, password_hash, created_at) values ($1, $2, $3, $4, $5)',
        [name, address.toLowerCase(), role, hashed, this.clock()],
      );
      await this.ledger.add(
        { who: by, what: 'account.made', subject: address.toLowerCase(), after: { name, role } },
        tx,
      );
    });
  }

  /** Signs in; the token goes into the cookie and is kept here only as its hash. */
  async signIn(address: string, password: string): Promise<{ token: string; account: Account }> {
    const at = address.trim().toLowerCase();
    await this.slowDown(at);
    const [row] = await this.db.query<Account & { password_hash: string }>(
      'select id, name, address, role, password_hash from account where address = $1',
      [at],
    );
    // an unknown address costs as much time as a wrong password
    const right = await verify(row?.password_hash ?? (await this.decoy), password).catch(() => false);
    if (!row || !right) {
      await this.db.transaction(async (tx) => {
        await tx.query('insert into sign_in_failure (address, at) values ($1, $2)', [at, this.clock()]);
        await this.ledger.add(
          { who: at.slice(0, 200), what: 'sign-in.refused', subject: at.slice(0, 200) },
          tx,
        );
      });
      throw new AppError('wrong-sign-in', 401, 'The address or the password is not right.');
    }
    const token = randomBytes(32).toString('base64url');
    await this.db.transaction(async (tx) => {
      await tx.query('delete from sign_in_failure where address = $1', [at]);
      await tx.query(
        'insert into session (token_hash, account, created_at, seen_at) values ($1, $2, $3, $3)',
        [sha256(token), row.id, this.clock()],
      );
      await this.ledger.add(
        { who: row.address, what: 'sign-in', subject: row.address, after: { role: row.role } },
        tx,
      );
    });
    return { token, account: { id: row.id, name: row.name, address: row.address, role: row.role } };
  }

  /** After five failed tries, each further one waits twice as long, up to fifteen minutes. */
  private async slowDown(address: string): Promise<void> {
    const now = this.clock().getTime();
    const [f] = await this.db.query<{ n: number; last: Date | null }>(
      'select count(*)::int as n, max(at) as last from sign_in_failure where address = $1 and at > $2',
      [address, new Date(now - FAILURE_WINDOW_MS)],
    );
    if (!f?.last || f.n < FREE_TRIES) return;
    const wait = Math.min(FAILURE_WINDOW_MS, 2 ** (f.n - FREE_TRIES) * 2000) - (now - f.last.getTime());
    if (wait > 0)
      throw new AppError(
        'slow-down',
        429,
        `Too many failed tries. Try again in ${Math.ceil(wait / 1000)} seconds.`,
        Math.ceil(wait / 1000),
      );
  }

  /** Name and address of every steward. */
  stewards(): Promise<{ name: string; address: string }[]> {
    return this.db.query("select name, address from account where role = 'steward' order by name");
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

  /** The account of a session that is still good, or undefined. */
  async session(token: string | undefined): Promise<Account | undefined> {
    if (!token || token.length > 200) return undefined;
    const now = this.clock();
    const name = sha256(token);
    const trusted = this.known.get(name);
    if (
      trusted &&
      now.getTime() - trusted.read < TRUSTED_MS &&
      now.getTime() - trusted.seen <= IDLE_MS &&
      now.getTime() - trusted.created <= LONGEST_MS
    ) {
      trusted.seen = now.getTime();
      return trusted.account;
    }
    this.known.delete(name);
    const [row] = await this.db.query<Account & { seen_at: Date; created_at: Date }>(
      'select a.id, a.name, a.address, a.role, s.seen_at, s.created_at from session s join account a on a.id = s.account where s.token_hash = $1',
      [name],
    );
    if (!row) return undefined;
    if (
      now.getTime() - row.seen_at.getTime() > IDLE_MS ||
      now.getTime() - row.created_at.getTime() > LONGEST_MS
    ) {
      await this.db.query('delete from session where token_hash = $1', [sha256(token)]);
      return undefined;
    }
    if (now.getTime() - row.seen_at.getTime() > 60_000)
      await this.db.query('update session set seen_at = $2 where token_hash = $1', [sha256(token), now]);
    const account = { id: row.id, name: row.name, address: row.address, role: row.role };
    const at = now.getTime();
    this.known.set(name, { account, created: row.created_at.getTime(), seen: at, read: at });
    return account;
  }
}
