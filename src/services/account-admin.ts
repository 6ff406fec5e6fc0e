/**
 * Accounts, as stewards keep them. Two rules hold whatever is asked: there is always an active steward, and nobody
 * makes a steward alone where there is another one to confirm it, or approval by a second steward would be worth nothing.
 */
import type { AccountList, AccountRole, AccountRow } from '../dto/accounts.ts';
import { namesNothing, type Held } from '../core/access/held.ts';
import type { Db } from '../store/db.ts';
import type { Accounts } from './accounts.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import { WAYS, waysOf, type SecondFactor, type Ways } from './second-factor.ts';
import { newToken, sha256 } from './tokens.ts';

/** An invitation is good for so long. */
const INVITED_MS = 7 * 86_400_000;

interface AccountSql {
  id: number;
  name: string;
  address: string;
  role: AccountRole;
  active: boolean;
  created_at: Date;
  signed_in_at: Date | null;
  invite_until: Date | null;
  asked_role: AccountRole | null;
  asked_by: string | null;
  held: Held | null;
}
const COLUMNS =
  'id, name, address, role, active, created_at, signed_in_at, invite_until, asked_role, asked_by, held';

/** A steward who can act, of everything: active, and with a password. */
const ABLE = "role = 'steward' and active and password_hash is not null and held is null";

export class AccountAdmin {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly accounts: Accounts,
    private readonly second: SecondFactor,
    private readonly clock: () => Date,
  ) {}

  async list(): Promise<AccountList> {
    const now = this.clock();
    const rows = await this.db.query<AccountSql & Ways & { sessions: number }>(
      `select ${COLUMNS}, ${WAYS}, (select count(*)::int from session s where s.account = a.id and s.seen_at > $1) as sessions
       from account a where removed_at is null order by lower(name), id`,
      [new Date(now.getTime() - this.accounts.idleMs)],
    );
    return {
      rows: rows.map((r): AccountRow => ({
        id: r.id,
        name: r.name,
        address: r.address,
        role: r.role,
        held: r.held,
        state: !r.active
          ? 'disabled'
          : r.invite_until === null
            ? 'active'
            : r.invite_until > now
              ? 'invited'
              : 'invitation ended',
        madeAt: r.created_at.toISOString(),
        lastSignIn: r.signed_in_at?.toISOString() ?? null,
        sessions: r.sessions,
        secondFactor: waysOf(r),
        asked: r.asked_role && { role: r.asked_role, by: r.asked_by! },
      })),
    };
  }

  private async one(tx: Db, id: number): Promise<AccountSql> {
    const [row] = await tx.query<AccountSql>(`select ${COLUMNS} from account where id = $1`, [id]);
    if (!row) throw new AppError('no-account', 404, 'There is no such account.');
    return row;
  }

  /**
   * Whether there is, or was, another steward: then one makes no steward alone. One who was disabled or demoted counts, or
   * a steward could make themselves alone first. Where all others are gone for good, the server’s operator makes one
   * (GATE_LANTERN_NEW_STEWARD).
   */
  async hasSecond(tx: Db, by: string): Promise<boolean> {
    const others = await tx.query(
      'select 1 from account where was_steward and password_hash is not null and address <> $1 limit 1',
      [by],
    );
    return others.length > 0;
  }

  private async hasOther(tx: Db, id: number): Promise<boolean> {
    return (await tx.query(`select 1 from account where ${ABLE} and id <> $1 limit 1`, [id])).length > 0;
  }

  private async keepsASteward(tx: Db, id: number): Promise<void> {
    if (!(await this.hasOther(tx, id)))
      throw new AppError('last-steward', 409, 'This is the last active steward. Make another one first.');
  }

  /** Makes an account and an invitation to it; the token is told once. */
  async invite(
    who: { name: string; address: string; role: AccountRole },
    by: string,
  ): Promise<{ id: number; token: string; asked: boolean }> {
    const token = newToken();
    const address = who.address.toLowerCase();
    return this.db.transaction(async (tx) => {
      if ((await tx.query('select 1 from account where address = $1', [address])).length)
        throw new AppError('account-there', 409, `${address} has an account already.`);
      const asked = who.role === 'steward' && (await this.hasSecond(tx, by));
      const [row] = await tx.query<{ id: number }>(
        `insert into account (name, address, role, created_at, invite_hash, invite_until, asked_role, asked_by, was_steward)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $3 = 'steward') returning id`,
        [
          who.name,
          address,
          asked ? 'auditor' : who.role,
          this.clock(),
          sha256(token),
          new Date(this.clock().getTime() + INVITED_MS),
          asked ? who.role : null,
          asked ? by : null,
        ],
      );
      await this.ledger.add(
        {
          who: by,
          what: 'account.invited',
          subject: address,
          after: { name: who.name, role: who.role, asked },
        },
        tx,
      );
      return { id: row!.id, token, asked };
    });
  }

  /** A new invitation in place of one that was not taken up. */
  async inviteAgain(id: number, by: string): Promise<{ token: string; name: string; address: string }> {
    const token = newToken();
    return this.db.transaction(async (tx) => {
      const row = await this.one(tx, id);
      if (row.invite_until === null)
        throw new AppError('has-password', 409, 'This account has a password already.');
      await tx.query('update account set invite_hash = $2, invite_until = $3 where id = $1', [
        id,
        sha256(token),
        new Date(this.clock().getTime() + INVITED_MS),
      ]);
      await this.ledger.add({ who: by, what: 'account.invited', subject: row.address }, tx);
      return { token, name: row.name, address: row.address };
    });
  }

  /** Takes up an invitation with a password of one's own. */
  async welcome(token: string, password: string): Promise<{ address: string }> {
    const [row] = await this.db.query<AccountSql>(
      `select ${COLUMNS} from account where invite_hash = $1 and invite_until > $2 and active`,
      [sha256(token), this.clock()],
    );
    if (!row)
      throw new AppError(
        'no-invitation',
        403,
        'This invitation has ended, or was used already. Ask a steward for another one.',
      );
    await this.accounts.setPassword(row, password, async (tx) => {
      // once, however often it is sent at the same time
      const used = await tx.query(
        'update account set invite_hash = null, invite_until = null where id = $1 and invite_hash = $2 returning id',
        [row.id, sha256(token)],
      );
      if (!used.length) throw new AppError('no-invitation', 403, 'This invitation was used already.');
      await this.ledger.add({ who: row.address, what: 'account.taken-up', subject: row.address }, tx);
    });
    return { address: row.address };
  }

  /** Changes what an account may do. A steward is made by two, where there are two. */
  async setRole(id: number, role: AccountRole, by: string): Promise<{ asked: boolean }> {
    return this.change(id, by, 'own-role', async (tx, row) => {
      if (row.role === 'steward' && role !== 'steward') await this.keepsASteward(tx, id);
      const asked = role === 'steward' && row.role !== 'steward' && (await this.hasSecond(tx, by));
      await this.writeRole(tx, row, role, by, asked);
      return { asked };
    });
  }

  /** Gives a role, or asks another steward to, and says so. */
  private async writeRole(
    tx: Db,
    row: Pick<AccountSql, 'id' | 'address' | 'role'>,
    role: AccountRole,
    by: string,
    asked: boolean,
  ): Promise<void> {
    await tx.query(
      "update account set role = $2, asked_role = $3, asked_by = $4, was_steward = was_steward or $2 = 'steward' where id = $1",
      [row.id, asked ? row.role : role, asked ? role : null, asked ? by : null],
    );
    await this.ledger.add(
      {
        who: by,
        what: asked ? 'account.role-asked' : 'account.role',
        subject: row.address,
        before: { role: row.role },
        after: { role },
      },
      tx,
    );
  }

  /** Takes a role over from whoever keeps accounts elsewhere; false where it would leave no steward. */
  async follow(
    tx: Db,
    row: Pick<AccountSql, 'id' | 'address' | 'role'>,
    role: AccountRole,
    by: string,
  ): Promise<boolean> {
    if (row.role === 'steward' && !(await this.hasOther(tx, row.id))) return false;
    await this.writeRole(tx, row, role, by, false);
    return true;
  }

  /** What another steward says of a role that is asked for. */
  async confirm(id: number, approved: boolean, by: string): Promise<void> {
    await this.change(id, by, 'own-role', async (tx, row) => {
      if (!row.asked_role)
        throw new AppError('not-asked', 409, 'No role is asked for this account any more.');
      if (approved && row.asked_by === by)
        throw new AppError(
          'same-steward',
          403,
          'Whoever asks for a role cannot confirm it: another steward has to.',
        );
      await tx.query(
        `update account set role = case when $2 then asked_role else role end,
           was_steward = was_steward or ($2 and asked_role = 'steward'), asked_role = null, asked_by = null where id = $1`,
        [id, approved],
      );
      await this.ledger.add(
        {
          who: by,
          what: approved ? 'account.role' : 'account.role-refused',
          subject: row.address,
          before: { role: row.role },
          after: { role: row.asked_role, askedBy: row.asked_by },
        },
        tx,
      );
    });
  }

  /** Disables an account, whose sessions end with it, or enables it again. */
  async setActive(id: number, active: boolean, by: string): Promise<void> {
    await this.change(id, by, 'own-account', async (tx, row) => {
      if (row.active === active) return;
      if (!active && row.role === 'steward') await this.keepsASteward(tx, id);
      await tx.query('update account set active = $2 where id = $1', [id, active]);
      await tx.query('delete from session where account = $1', [id]);
      await this.ledger.add(
        { who: by, what: active ? 'account.enabled' : 'account.disabled', subject: row.address },
        tx,
      );
    });
  }

  /** Ends all sessions of an account; its devices are known no more. */
  async endSessions(id: number, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const row = await this.one(tx, id);
      await tx.query('delete from session where account = $1', [id]);
      await tx.query('delete from device where account = $1', [id]);
      await this.ledger.add({ who: by, what: 'account.sessions-ended', subject: row.address }, tx);
    });
    this.accounts.forget(id);
  }

  /** Holds an account to a part, or to none. What it has open goes on with that. */
  async setHeld(id: number, held: Held | null, by: string): Promise<void> {
    if (held && namesNothing(held))
      throw new AppError('nothing', 422, 'Name at least one workspace, department or space.');
    await this.change(id, by, 'own-account', async (tx, row) => {
      if (row.role === 'steward' && held) await this.keepsASteward(tx, id);
      await tx.query('update account set held = $2::jsonb where id = $1', [id, held && JSON.stringify(held)]);
      // what was picked up may lie beyond it
      if (held)
        for (const table of ['tray', 'tray_goal'])
          await tx.query(`delete from ${table} where account = $1`, [id]);
      await this.ledger.add(
        { who: by, what: 'account.held', subject: row.address, before: row.held, after: held },
        tx,
      );
    });
  }

  /** Takes the second factor from an account that has lost it, and ends its sessions. */
  async resetSecond(id: number, by: string): Promise<void> {
    await this.change(id, by, 'own-account', async (tx, row) => {
      await tx.query('delete from session where account = $1', [id]);
      await this.second.reset(tx, row, by);
    });
  }

  /** Changes another’s account, never one’s own; what is remembered of its sessions is forgotten. */
  private async change<T>(
    id: number,
    by: string,
    code: 'own-role' | 'own-account',
    work: (tx: Db, row: AccountSql) => Promise<T>,
  ): Promise<T> {
    const done = await this.db.transaction(async (tx) => {
      const row = await this.one(tx, id);
      if (row.address === by)
        throw new AppError(
          code,
          403,
          'Nobody changes their own role, or disables themselves. Ask another steward.',
        );
      return work(tx, row);
    });
    this.accounts.forget(id);
    return done;
  }
}
