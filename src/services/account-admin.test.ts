import fc from 'fast-check';
import { beforeEach, describe, expect, it } from 'vitest';
import type { AccountRole } from '../dto/accounts.ts';
import type { OpenDb } from '../store/db.ts';
import { ownAccounts, whole } from '../../tests/own-accounts.ts';
import { ownDb } from '../../tests/own-db.ts';
import type { AccountAdmin } from './account-admin.ts';
import type { Accounts } from './accounts.ts';

const PASSWORD = 'four words and a river';
let db: OpenDb;
let now = Date.parse('2026-03-02T09:00:00Z');
const clock = (): Date => new Date(now);
let accounts: Accounts;
let admin: AccountAdmin;
ownDb((own) => {
  db = own;
  ({ accounts, admin } = ownAccounts(db, clock));
});

const address = (name: string): string => `${name}@tarntide.example`;
const idOf = async (name: string): Promise<number> =>
  (await admin.list()).rows.find((r) => r.address === address(name))!.id;
const of = async (name: string) => (await admin.list()).rows.find((r) => r.address === address(name))!;
const signIn = (name: string) => whole(accounts.signIn(address(name), PASSWORD));
/** Invited by somebody, and taken up. */
async function taken(name: string, role: AccountRole, by: string): Promise<void> {
  const { token } = await admin.invite({ name, address: address(name), role }, address(by));
  await admin.welcome(token, PASSWORD);
}

describe('accounts', () => {
  beforeEach(async () => {
    now += 3_600_000;
    for (const table of ['session', 'device', 'sign_in_try', 'account'])
      await db.query(`delete from ${table}`);
    await accounts.create('ada', address('ada'), 'steward', PASSWORD, 'first visit');
  });

  it('are invited, and taken up once, in time, with a password that can be chosen', async () => {
    const who = { name: 'bo', address: 'Bo@Tarntide.example', role: 'auditor' } as const;
    const { token, id } = await admin.invite(who, address('ada'));
    expect(await of('bo')).toMatchObject({ state: 'invited', role: 'auditor', lastSignIn: null });
    await expect(admin.invite(who, address('ada'))).rejects.toMatchObject({ code: 'account-there' });
    await expect(signIn('bo')).rejects.toMatchObject({ code: 'wrong-sign-in' });
    await expect(admin.welcome(token, 'password1234')).rejects.toMatchObject({ code: 'weak-password' });
    // one that replaces it, and one that came too late
    const { token: next } = await admin.inviteAgain(id, address('ada'));
    await expect(admin.welcome(token, PASSWORD)).rejects.toMatchObject({ code: 'no-invitation' });
    now += 8 * 86_400_000;
    await expect(admin.welcome(next, PASSWORD)).rejects.toMatchObject({ code: 'no-invitation' });
    expect((await of('bo')).state).toBe('invitation ended');
    const { token: last } = await admin.inviteAgain(id, address('ada'));
    // sent twice at the same time it is used once
    const both = await Promise.allSettled([
      admin.welcome(last, PASSWORD),
      admin.welcome(last, 'another one of four words'),
    ]);
    expect(both.filter((b) => b.status === 'fulfilled')).toHaveLength(1);
    await expect(admin.inviteAgain(id, address('ada'))).rejects.toMatchObject({ code: 'has-password' });
    expect(JSON.stringify(await db.query('select * from account'))).not.toContain(last);
    expect(JSON.stringify(await db.query('select * from ledger'))).not.toContain(last);
  });

  it('end, sessions and all, when they are disabled, at once', async () => {
    await taken('bo', 'auditor', 'ada');
    const { token } = await signIn('bo');
    expect((await accounts.session(token))?.name).toBe('bo');
    await admin.setActive(await idOf('bo'), false, address('ada'));
    expect(await accounts.session(token)).toBeUndefined();
    await expect(signIn('bo')).rejects.toMatchObject({ code: 'wrong-sign-in' });
    await admin.setActive(await idOf('bo'), true, address('ada'));
    const again = await signIn('bo');
    await admin.setRole(await idOf('bo'), 'owner', address('ada'));
    // what they may do is another from the next question on
    expect((await accounts.session(again.token))?.role).toBe('owner');
    await admin.endSessions(await idOf('bo'), address('ada'));
    expect(await accounts.session(again.token)).toBeUndefined();
  });

  it('are never without a steward, and nobody changes their own', async () => {
    const ada = await idOf('ada');
    for (const act of [
      () => admin.setRole(ada, 'auditor', address('ada')),
      () => admin.setActive(ada, false, address('ada')),
    ])
      await expect(act()).rejects.toMatchObject({ status: 403 });
    await taken('bo', 'auditor', 'ada');
    for (const act of [
      () => admin.setRole(ada, 'auditor', address('bo')),
      () => admin.setActive(ada, false, address('bo')),
    ])
      await expect(act()).rejects.toMatchObject({ code: 'last-steward' });
    // an invited steward cannot act yet, and so is none
    await admin.invite({ name: 'cy', address: address('cy'), role: 'steward' }, address('ada'));
    await expect(admin.setActive(ada, false, address('cy'))).rejects.toMatchObject({ code: 'last-steward' });
  });

  it('become a steward’s by two, where there is or was another', async () => {
    await taken('bo', 'steward', 'ada');
    expect((await of('bo')).role).toBe('steward');
    const made = await admin.invite({ name: 'cy', address: address('cy'), role: 'steward' }, address('ada'));
    expect(made.asked).toBe(true);
    expect(await of('cy')).toMatchObject({ role: 'auditor', asked: { role: 'steward', by: address('ada') } });
    await expect(admin.confirm(made.id, true, address('ada'))).rejects.toMatchObject({
      code: 'same-steward',
    });
    await expect(admin.confirm(made.id, true, address('cy'))).rejects.toMatchObject({ code: 'own-role' });
    await admin.confirm(made.id, false, address('bo'));
    expect(await of('cy')).toMatchObject({ role: 'auditor', asked: null });
    expect(await admin.setRole(made.id, 'steward', address('ada'))).toEqual({ asked: true });
    await admin.confirm(made.id, true, address('bo'));
    expect((await of('cy')).role).toBe('steward');
    // nobody is alone by having taken it from the others
    for (const name of ['bo', 'cy']) {
      await admin.setRole(await idOf(name), 'auditor', address('ada'));
      await admin.setActive(await idOf(name), false, address('ada'));
    }
    expect(
      (await admin.invite({ name: 'di', address: address('di'), role: 'steward' }, address('ada'))).asked,
    ).toBe(true);
  });

  it('come to no state in which one steward alone has made another, whatever is tried (random acts)', async () => {
    const names = ['ada', 'bo', 'cy', 'di'] as const;
    const act = fc.record({
      by: fc.constantFrom(...names),
      on: fc.constantFrom(...names),
      what: fc.constantFrom('steward', 'auditor', 'disable', 'enable', 'confirm', 'refuse'),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(act, { maxLength: 25 }), async (acts) => {
        await db.query('delete from account');
        await accounts.create('ada', address('ada'), 'steward', PASSWORD, 'first visit');
        await db.query(
          "insert into account (name, address, role, password_hash, created_at, was_steward) select n, n || '@tarntide.example', r, 'x', $1, r = 'steward' from (values ('bo', 'steward'), ('cy', 'auditor'), ('di', 'auditor')) v(n, r)",
          [clock()],
        );
        const askedBy = new Map<string, string>();
        for (const { by, on, what } of acts) {
          const rows = (await admin.list()).rows;
          const actor = rows.find((r) => r.name === by)!;
          // as the endpoint has it: stewards alone, who are there
          if (actor.role !== 'steward' || actor.state === 'disabled') continue;
          const before = rows.find((r) => r.name === on)!;
          await (
            what === 'disable' || what === 'enable'
              ? admin.setActive(before.id, what === 'enable', actor.address)
              : what === 'confirm' || what === 'refuse'
                ? admin.confirm(before.id, what === 'confirm', actor.address)
                : admin.setRole(before.id, what, actor.address)
          ).catch(() => undefined);
          const after = (await admin.list()).rows;
          const now = after.find((r) => r.name === on)!;
          if (before.role !== 'steward' && now.role === 'steward') {
            // two have said so, and neither of them is the one who became it
            expect(what).toBe('confirm');
            expect(new Set([askedBy.get(on), by, on]).size).toBe(3);
          }
          if (now.asked && !before.asked) askedBy.set(on, by);
          if (now.asked && before.asked && now.asked.by !== before.asked.by) askedBy.set(on, by);
          expect(after.some((r) => r.role === 'steward' && r.state === 'active')).toBe(true);
          if (by === on) expect(now).toEqual(before);
        }
      }),
      { numRuns: 40 },
    );
  });
});

describe('one’s own account', () => {
  beforeEach(async () => {
    now += 3_600_000;
    for (const table of ['session', 'device', 'sign_in_try', 'account'])
      await db.query(`delete from ${table}`);
    await accounts.create('ada', address('ada'), 'steward', PASSWORD, 'first visit');
  });

  it('changes its password with the old one, which ends what else is open', async () => {
    const { token, account, device } = await whole(
      accounts.signIn(address('ada'), PASSWORD, {
        source: '192.0.2.1',
        agent: 'Mozilla/5.0 (X11; Linux x86_64) Firefox/140.0',
      }),
    );
    const other = (await signIn('ada')).token;
    expect((await accounts.sessions(account, token)).map((s) => [s.source, s.own])).toEqual(
      expect.arrayContaining([
        ['192.0.2.1', true],
        ['unknown', false],
      ]),
    );
    const next = 'quite another river of words';
    await expect(accounts.changePassword(account, 'wrong', next, token)).rejects.toMatchObject({
      code: 'wrong-password',
    });
    await expect(accounts.changePassword(account, PASSWORD, 'tarntide-12345', token)).rejects.toMatchObject({
      code: 'weak-password',
    });
    await accounts.changePassword(account, PASSWORD, next, token);
    expect(await accounts.session(token)).toBeDefined();
    expect(await accounts.session(other)).toBeUndefined();
    expect(await db.query('select * from device where token_hash = $1', [device])).toEqual([]);
    await expect(signIn('ada')).rejects.toMatchObject({ code: 'wrong-sign-in' });
    expect((await whole(accounts.signIn(address('ada'), next))).account.name).toBe('ada');
  });

  it('ends a session of its own, and none of another’s', async () => {
    await taken('bo', 'auditor', 'ada');
    const [ada, bo] = [await signIn('ada'), await signIn('bo')];
    const [session] = await accounts.sessions(bo.account, bo.token);
    await accounts.endSession(ada.account, session!.id);
    expect(await accounts.session(bo.token)).toBeDefined();
    await accounts.endSession(bo.account, session!.id);
    expect(await accounts.session(bo.token)).toBeUndefined();
  });

  it('guesses its password no more often there than at the door', async () => {
    const { token, account } = await signIn('ada');
    const codes: string[] = [];
    for (let n = 0; n < 7; n++)
      await accounts
        .changePassword(account, `wrong ${n}`, 'quite another river of words', token)
        .catch((e: { code: string }) => codes.push(e.code));
    expect(codes.slice(0, 6)).toEqual([...Array<string>(5).fill('wrong-password'), 'slow-down']);
  });
});
