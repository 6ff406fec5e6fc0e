/**
 * Tokens for machines. A token can do at most what the account that made it can, then and now; it is told once, kept as
 * its hash, and ends after its last day.
 */
import { addDays } from 'date-fns';
import type { Account, AccountRole, ApiToken } from '../dto/accounts.ts';
import { heldWithin, type Held } from '../core/access/held.ts';
import { lesserRole, mayDo } from '../core/roles.ts';
import type { Db } from '../store/db.ts';
import { dayOf } from './days.ts';
import { AppError } from './errors.ts';
import type { Events } from './events.ts';
import type { Ledger } from './ledger.ts';
import { newToken, sha256 } from './tokens.ts';

const PREFIX = 'gl_';
/** A token lives no longer. */
const MOST_DAYS = 366;
const MOST_TOKENS = 50;
/** When a token was last used is noted no more often. */
const NOTED_MS = 60_000;

interface TokenRow {
  id: number;
  account: number;
  name: string;
  role: AccountRole;
  held: Held | null;
  last_day: string;
  made_at: Date;
  used_at: Date | null;
  ended_at: Date | null;
  address: string;
}
const SELECT = `select t.id, t.account, t.name, t.role, t.held, t.last_day::text as last_day, t.made_at, t.used_at, t.ended_at,
  a.address from api_token t join account a on a.id = t.account`;

export interface NewToken {
  name: string;
  role: AccountRole;
  held: Held | null;
  lastDay: string;
}

/** By which name streams and the like know a token. */
export const tokenName = (id: number): string => `token ${id}`;

export class ApiTokens {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly events: Events,
    private readonly clock: () => Date,
  ) {}

  /** The day in UTC, as last days are read. */
  private get today(): string {
    return dayOf(this.clock());
  }

  /** One's own tokens, or everybody's; those that still work first. */
  async list(account?: number): Promise<ApiToken[]> {
    const { today } = this;
    const rows = await this.db.query<TokenRow>(
      `${SELECT} where ($1::int is null or t.account = $1) and t.ended_at is null and t.last_day >= $2::date - 30 order by t.id desc`,
      [account ?? null, today],
    );
    return rows.map((r) => ({
      id: r.id,
      name: r.name,
      by: r.address,
      role: r.role,
      held: r.held,
      lastDay: r.last_day,
      madeAt: r.made_at.toISOString(),
      usedAt: r.used_at?.toISOString() ?? null,
      over: r.last_day < today,
    }));
  }

  /** Makes a token; it is told this once. */
  async make(account: Account, wanted: NewToken): Promise<{ token: string }> {
    const now = this.clock();
    const { today } = this;
    if (wanted.lastDay < today || wanted.lastDay > dayOf(addDays(now, MOST_DAYS)))
      throw new AppError('last-day', 422, 'The last day is today or later, and within a year.');
    if (!mayDo(account.role, wanted.role))
      throw new AppError('too-much', 403, 'A token can do no more than you can.');
    if (wanted.held && !heldWithin(wanted.held, account.held ?? []))
      throw new AppError('too-much', 403, 'A token reaches no further than you do.');
    const token = PREFIX + newToken();
    await this.db.transaction(async (tx) => {
      const [n] = await tx.query<{ n: number }>(
        'select count(*)::int as n from api_token where account = $1 and ended_at is null and last_day >= $2::date',
        [account.id, today],
      );
      if (n!.n >= MOST_TOKENS)
        throw new AppError('too-many', 409, `You have ${MOST_TOKENS} tokens. End some that are not used.`);
      await tx.query(
        'insert into api_token (account, name, token_hash, role, held, last_day, made_at) values ($1, $2, $3, $4, $5::jsonb, $6::date, $7)',
        [
          account.id,
          wanted.name,
          sha256(token),
          wanted.role,
          wanted.held && JSON.stringify(wanted.held),
          wanted.lastDay,
          now,
        ],
      );
      await this.ledger.add(
        { who: account.address, what: 'token.made', subject: wanted.name, after: { ...wanted } },
        tx,
      );
    });
    return { token };
  }

  /** Ends a token: one's own, or any where `account` is left out. */
  async end(id: number, by: string, account?: number): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [row] = await tx.query<{ name: string }>(
        'update api_token set ended_at = $2 where id = $1 and ended_at is null and ($3::int is null or account = $3) returning name',
        [id, this.clock(), account ?? null],
      );
      if (!row) throw new AppError('no-token', 404, 'There is no such token, or it has ended.');
      await this.ledger.add({ who: by, what: 'token.ended', subject: row.name }, tx);
    });
    this.events.endOf(tokenName(id));
  }

  /** Whether a token still works, by its name. */
  async isGood(name: string): Promise<boolean> {
    const id = Number(/^token (\d+)$/.exec(name)?.[1]);
    const rows = await this.db.query(
      'select 1 from api_token t join account a on a.id = t.account where t.id = $1 and t.ended_at is null and t.last_day >= $2::date and a.active',
      [id, this.today],
    );
    return rows.length > 0;
  }

  /** The account that a token acts for, with no more than both may; undefined where it does not work. */
  async account(token: string): Promise<{ account: Account; name: string } | undefined> {
    if (!token.startsWith(PREFIX) || token.length > 100) return undefined;
    const now = this.clock();
    const [row] = await this.db.query<
      TokenRow & { account_name: string; account_role: AccountRole; account_held: Held | null }
    >(
      `select t.*, a.name as account_name, a.address, a.role as account_role, a.held as account_held
       from api_token t join account a on a.id = t.account
       where t.token_hash = $1 and t.ended_at is null and t.last_day >= $2::date and a.active`,
      [sha256(token), this.today],
    );
    if (!row) return undefined;
    if (!row.used_at || now.getTime() - row.used_at.getTime() > NOTED_MS)
      await this.db.query('update api_token set used_at = $2 where id = $1', [row.id, now]);
    const held = [row.account_held, row.held].filter((h) => h !== null);
    return {
      name: tokenName(row.id),
      account: {
        id: row.account,
        name: row.account_name,
        address: row.address,
        role: lesserRole(row.account_role, row.role),
        ...(held.length && { held }),
      },
    };
  }
}
