/**
 * Accounts kept by a directory through SCIM 2.0 (RFC 7644). It makes and ends them; a steward's role it can only ask for,
 * and the emergency account is not its.
 */
import {
  equalFilter,
  saidBy,
  ScimError,
  type Said,
  type ScimAccount,
  type userSchema,
} from '../dto/scim-accounts.ts';
import type { z } from 'zod';
import type { Db } from '../store/db.ts';
import { readSetting, writeSetting } from '../store/settings.ts';
import type { AccountAdmin } from './account-admin.ts';
import type { Ledger } from './ledger.ts';
import type { Sso } from './sso.ts';
import { newToken, sha256 } from './tokens.ts';

const SETTING = 'scim';
/** Who does it, on the ledger. */
const WHO = 'directory';
const COLUMNS = 'id, name, address, role, active, external_id, created_at';

export class Scim {
  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly admin: AccountAdmin,
    private readonly sso: Sso,
    private readonly clock: () => Date,
  ) {}

  /** Who made the token, and when; null where there is none. */
  async state(): Promise<{ by: string; at: string } | null> {
    const kept = await readSetting<{ by: string; at: string } | null>(this.db, SETTING);
    return kept ? { by: kept.by, at: kept.at } : null;
  }

  /** A new token in place of the one of before; told once. Null ends it. */
  async newToken(by: string, end = false): Promise<{ token: string | null }> {
    const token = end ? null : newToken();
    const at = this.clock().toISOString();
    await this.db.transaction(async (tx) => {
      await writeSetting(tx, SETTING, token && { hash: sha256(token), by, at });
      await this.ledger.add({ who: by, what: 'scim.token', subject: 'SCIM', after: { ended: end } }, tx);
    });
    return { token };
  }

  async knows(token: string): Promise<boolean> {
    const kept = await readSetting<{ hash: string } | null>(this.db, SETTING);
    return Boolean(kept) && sha256(token) === kept!.hash;
  }

  /** Accounts from the nth on, by number from 1. */
  async list(q: {
    filter?: string | undefined;
    startIndex: number;
    count: number;
  }): Promise<{ total: number; rows: ScimAccount[] }> {
    const by = q.filter === undefined ? undefined : equalFilter(q.filter);
    const value = by?.attribute === 'userName' ? by.value.toLowerCase() : (by?.value ?? null);
    const where = `removed_at is null and ($1::text is null or case $2::text when 'id' then id::text = $1
      when 'externalId' then external_id = $1 else address = $1 end)`;
    const rows = await this.db.query<ScimAccount>(
      `select ${COLUMNS} from account where ${where} order by id limit $3 offset $4`,
      [value, by?.attribute ?? null, q.count, q.startIndex - 1],
    );
    const [n] = await this.db.query<{ n: number }>(`select count(*)::int as n from account where ${where}`, [
      value,
      by?.attribute ?? null,
    ]);
    return { total: n!.n, rows };
  }

  async one(id: string): Promise<ScimAccount> {
    const { rows } = await this.list({ filter: `id eq ${JSON.stringify(id)}`, startIndex: 1, count: 1 });
    if (!rows[0]) throw new ScimError(404, undefined, `There is no User ${id}.`);
    return rows[0];
  }

  async create(user: z.infer<typeof userSchema>): Promise<ScimAccount> {
    const said = saidBy(user);
    const address = addressOf(said.userName!);
    const id = await this.db.transaction(async (tx) => {
      const [known] = await tx.query<{ id: number; removed_at: Date | null }>(
        'select id, removed_at from account where address = $1',
        [address],
      );
      if (known && !known.removed_at)
        throw new ScimError(409, 'uniqueness', `${address} has an account already.`);
      if (known) {
        await tx.query('update account set removed_at = null where id = $1', [known.id]);
        return known.id;
      }
      const [made] = await tx.query<{ id: number }>(
        "insert into account (name, address, role, created_at) values ($1, $2, 'owner', $3) returning id",
        [said.name ?? address, address, this.clock()],
      );
      await this.ledger.add(
        { who: WHO, what: 'account.made', subject: address, after: { name: said.name, role: 'owner' } },
        tx,
      );
      return made!.id;
    });
    return this.update(String(id), { active: true, ...said });
  }

  async update(id: string, said: Said): Promise<ScimAccount> {
    const row = await this.one(id);
    if (row.address === this.sso.emergency)
      throw new ScimError(403, undefined, 'This account is kept for emergencies, and not by a directory.');
    const address = said.userName === undefined ? row.address : addressOf(said.userName);
    const name = said.name ?? row.name;
    const external = said.externalId === undefined ? row.external_id : said.externalId;
    await this.db.transaction(async (tx) => {
      if (
        address !== row.address &&
        (await tx.query('select 1 from account where address = $1', [address])).length
      )
        throw new ScimError(409, 'uniqueness', `${address} has an account already.`);
      await tx.query('update account set address = $2, name = $3, external_id = $4 where id = $1', [
        row.id,
        address,
        name,
        external,
      ]);
      if (address !== row.address || name !== row.name)
        await this.ledger.add(
          {
            who: WHO,
            what: 'account.changed',
            subject: address,
            before: { name: row.name, address: row.address },
            after: { name, address },
          },
          tx,
        );
    });
    if (said.role && said.role !== row.role) await this.admin.setRole(row.id, said.role, WHO);
    if (said.active !== undefined) await this.admin.setActive(row.id, said.active, WHO);
    return this.one(id);
  }

  /** Ends an account. What it did stays on record, so it is disabled and not told of any more. */
  async remove(id: string): Promise<void> {
    const row = await this.update(id, { active: false });
    await this.db.query('update account set removed_at = $2 where id = $1', [row.id, this.clock()]);
  }
}

function addressOf(userName: string): string {
  const address = userName.trim().toLowerCase();
  if (!/^[^\s@\0]+@[^\s@\0]+$/.test(address))
    throw new ScimError(400, 'invalidValue', 'userName has to be an e-mail address.');
  return address;
}
