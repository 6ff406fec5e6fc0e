import { Secret, TOTP } from 'otpauth';
import { beforeEach, describe, expect, it } from 'vitest';
import type { OpenDb } from '../store/db.ts';
import { Authenticator } from '../../tests/authenticator.ts';
import { half, ownAccounts, whole } from '../../tests/own-accounts.ts';
import { ownDb } from '../../tests/own-db.ts';
import type { Account } from '../dto/accounts.ts';
import type { Signed } from './accounts.ts';

const PASSWORD = 'four words and a river';
const ADA = 'ada@tarntide.example';
const SITE = { rpId: 'lantern.example', origin: 'https://lantern.example' };
let db: OpenDb;
let now = Date.parse('2026-03-02T09:00:00Z');
let own: ReturnType<typeof ownAccounts>;
ownDb((opened) => {
  db = opened;
  own = ownAccounts(db, () => new Date(now));
});

const signIn = () => own.accounts.signIn(ADA, PASSWORD);
const codeOf = (seed: string, at = now): string =>
  new TOTP({ secret: Secret.fromBase32(seed) }).generate({ timestamp: at });
const strengthened = ({ account, token }: Signed) =>
  own.accounts.strengthened.bind(own.accounts, account, token);
const nothing = (): Promise<void> => Promise.resolve();
const kept = async (): Promise<string> => {
  const tables = ['account', 'passkey', 'recovery_code', 'pending', 'session', 'ledger', 'setting'];
  return JSON.stringify(await Promise.all(tables.map((t) => db.query(`select * from ${t}`))));
};

beforeEach(async () => {
  now += 3_600_000;
  for (const table of ['session', 'device', 'sign_in_try', 'pending', 'account', 'setting'])
    await db.query(`delete from ${table}`);
  await own.accounts.readSettings();
  await own.accounts.create('ada', ADA, 'steward', PASSWORD, 'first visit');
});

async function withCode(): Promise<{ signed: Signed; seed: string; recovery: string[] }> {
  const signed = await whole(signIn());
  const { seed } = await own.second.beginCode(signed.account);
  const recovery = await own.second.confirmCode(signed.account, codeOf(seed), strengthened(signed));
  now += 60_000;
  return { signed, seed, recovery: recovery! };
}

async function withPasskey(): Promise<{ signed: Signed; passkey: Authenticator }> {
  const signed = await whole(signIn());
  const passkey = new Authenticator();
  const { challenge } = await own.second.beginPasskey(signed.account, SITE);
  const made = passkey.make(challenge, SITE);
  await own.second.addPasskey(signed.account, 'laptop', made, SITE, strengthened(signed));
  return { signed, passkey };
}

describe('one-time codes', () => {
  // RFC 6238 appendix B, SHA-1: the last six of the eight digits that are printed there
  it.each([
    [59, '287082'],
    [1111111109, '081804'],
    [1111111111, '050471'],
    [1234567890, '005924'],
    [2000000000, '279037'],
    [20000000000, '353130'],
  ])('are those of RFC 6238 at %i s', async (seconds, code) => {
    const [row] = await db.query<Account>('select id, name, address, role from account');
    const seed = Secret.fromLatin1('12345678901234567890').base32;
    await db.query('update account set totp = $1', [own.secrets.seal(seed)]);
    now = seconds * 1000;
    let used = 0;
    await own.second.useCode(row!, code, () => Promise.resolve(void used++));
    expect(used).toBe(1);
    now = Date.parse('2026-03-02T12:00:00Z');
  });

  it('are wanted once one was given, and each opens once', async () => {
    const { seed } = await withCode();
    const first = await half(signIn());
    expect(first.wants).toEqual(['code']);
    const code = codeOf(seed);
    const { token } = await own.accounts.signInSecond(first.half, { code });
    expect(await own.accounts.session(token)).toMatchObject({ address: ADA });
    // neither the half sign-in nor the code is good a second time
    await expect(own.accounts.signInSecond(first.half, { code })).rejects.toMatchObject({ code: 'no-half' });
    const next = await half(signIn());
    await expect(own.accounts.signInSecond(next.half, { code })).rejects.toMatchObject({
      code: 'wrong-code',
    });
    // one of a minute and a half ago, or of the future, is none
    for (const at of [now - 90_000, now + 90_000])
      await expect(own.accounts.signInSecond(next.half, { code: codeOf(seed, at) })).rejects.toMatchObject({
        code: 'wrong-code',
      });
    now += 30_000;
    const spaced = codeOf(seed).replace(/(...)/, '$1 ');
    expect((await own.accounts.signInSecond(next.half, { code: spaced })).account.address).toBe(ADA);
  });

  it('open one session, though sent many times at once', async () => {
    const { seed } = await withCode();
    const { half: token } = await half(signIn());
    const all = await Promise.allSettled(
      Array.from({ length: 4 }, () => own.accounts.signInSecond(token, { code: codeOf(seed) })),
    );
    expect(all.filter((a) => a.status === 'fulfilled')).toHaveLength(1);
  });

  it('are not guessed: after five tries it waits, with a new half sign-in too', async () => {
    const { seed } = await withCode();
    const wrong = codeOf(seed, now + 3_600_000);
    for (let n = 0; n < 5; n++) {
      const { half: token } = await half(signIn());
      await expect(own.accounts.signInSecond(token, { code: wrong })).rejects.toMatchObject({
        code: 'wrong-code',
      });
    }
    const { half: token } = await half(signIn());
    await expect(own.accounts.signInSecond(token, { code: codeOf(seed) })).rejects.toMatchObject({
      code: 'slow-down',
    });
    expect(await db.query("select 1 from ledger where what = 'sign-in.refused'")).not.toEqual([]);
  });

  it('end with the time they were given: a half sign-in, and a seed that was not confirmed', async () => {
    const { signed, seed } = await withCode();
    const { half: token } = await half(signIn());
    const { seed: other } = await own.second.beginCode(signed.account);
    now += 11 * 60_000;
    await expect(own.accounts.signInSecond(token, { code: codeOf(seed) })).rejects.toMatchObject({
      code: 'no-half',
    });
    await expect(own.second.confirmCode(signed.account, codeOf(other), nothing)).rejects.toMatchObject({
      code: 'no-seed',
    });
  });

  it('end the sessions that were open without them, and are kept sealed', async () => {
    const before = await whole(signIn());
    const { signed, seed, recovery } = await withCode();
    expect(await own.accounts.session(before.token)).toBeUndefined();
    expect(await own.accounts.session(signed.token)).toBeDefined();
    const all = await kept();
    for (const secret of [seed, ...recovery, recovery[0]!.replaceAll('-', '')])
      expect(all).not.toContain(secret);
  });
});

describe('recovery codes', () => {
  it('come with the first factor, open once each, and new ones replace them', async () => {
    const { recovery, signed } = await withCode();
    expect(recovery).toHaveLength(10);
    expect(new Set(recovery).size).toBe(10);
    const sign = async (code: string) => own.accounts.signInSecond((await half(signIn())).half, { code });
    // as people type them
    await sign(recovery[0]!.toUpperCase().replaceAll('-', ' '));
    await expect(sign(recovery[0]!)).rejects.toMatchObject({ code: 'wrong-code' });
    expect((await own.second.state(signed.account.id)).recoveryLeft).toBe(9);
    const next = await own.second.newCodes(signed.account);
    await expect(sign(recovery[1]!)).rejects.toMatchObject({ code: 'wrong-code' });
    await sign(next[1]!);
    // without a factor they open nothing, and so there are none
    await own.second.removeCode(signed.account);
    expect((await own.second.state(signed.account.id)).recoveryLeft).toBe(0);
    await whole(signIn());
  });
});

describe('passkeys', () => {
  it('end a sign-in, each answer once', async () => {
    const { passkey, signed } = await withPasskey();
    const { half: token, wants } = await half(signIn());
    expect(wants).toEqual(['passkey']);
    const { challenge } = await own.accounts.passkeyOptions(token, SITE);
    const answer = passkey.answer(challenge, SITE);
    const { account } = await own.accounts.signInSecond(token, { passkey: answer, site: SITE });
    expect(account.address).toBe(ADA);
    const again = await half(signIn());
    await expect(
      own.accounts.signInSecond(again.half, { passkey: answer, site: SITE }),
    ).rejects.toMatchObject({ code: 'wrong-passkey' });
    const { passkeys } = await own.second.state(signed.account.id);
    expect(passkeys).toMatchObject([{ name: 'laptop', usedAt: new Date(now).toISOString() }]);
    await own.second.removePasskey(signed.account, passkeys[0]!.id);
    await whole(signIn());
  });

  it('are refused from another site, with another challenge, of another key, and from a copy that counts behind', async () => {
    const { passkey } = await withPasskey();
    const { half: token } = await half(signIn());
    const tryWith = async (make: (challenge: string) => ReturnType<Authenticator['answer']>) => {
      const { challenge } = await own.accounts.passkeyOptions(token, SITE);
      await db.query('delete from sign_in_try');
      return own.accounts.signInSecond(token, { passkey: make(challenge), site: SITE });
    };
    const wrong = { code: 'wrong-passkey' };
    await expect(
      tryWith((c) => passkey.answer(c, { ...SITE, origin: 'https://1antern.example' })),
    ).rejects.toMatchObject(wrong);
    await expect(
      tryWith((c) => passkey.answer(c, { ...SITE, rpId: '1antern.example' })),
    ).rejects.toMatchObject(wrong);
    await expect(tryWith(() => passkey.answer('AAAA', SITE))).rejects.toMatchObject(wrong);
    const forged = new Authenticator();
    await expect(
      tryWith((c) => ({ ...forged.answer(c, SITE), id: passkey.answer(c, SITE).id })),
    ).rejects.toMatchObject(wrong);
    await tryWith((c) => passkey.answer(c, SITE));
    const next = await half(signIn());
    passkey.counter = 0;
    const { challenge } = await own.accounts.passkeyOptions(next.half, SITE);
    await expect(
      own.accounts.signInSecond(next.half, { passkey: passkey.answer(challenge, SITE), site: SITE }),
    ).rejects.toMatchObject(wrong);
  });

  it('are added with the challenge that was just given, and once', async () => {
    const { signed, passkey } = await withPasskey();
    const { challenge } = await own.second.beginPasskey(signed.account, SITE);
    const made = new Authenticator().make(challenge, SITE);
    await own.second.addPasskey(signed.account, 'key', made, SITE, nothing);
    await expect(own.second.addPasskey(signed.account, 'again', made, SITE, nothing)).rejects.toMatchObject({
      code: 'wrong-passkey',
    });
    const { challenge: next } = await own.second.beginPasskey(signed.account, SITE);
    await expect(
      own.second.addPasskey(signed.account, 'the same', passkey.make(next, SITE), SITE, nothing),
    ).rejects.toMatchObject({ code: 'passkey-there' });
  });
});

describe('a second factor that is demanded', () => {
  const demand = () => own.accounts.setSettings({ ...own.accounts.settings, secondFactor: ['steward'] }, ADA);

  it('is wanted of sessions that are open already, until it is given', async () => {
    const signed = await whole(signIn());
    expect((await own.accounts.session(signed.token))!.lacksSecond).toBeUndefined();
    await demand();
    expect((await own.accounts.session(signed.token))!.lacksSecond).toBe(true);
    const { seed } = await own.second.beginCode(signed.account);
    await own.second.confirmCode(signed.account, codeOf(seed), strengthened(signed));
    own.accounts.forget(signed.account.id);
    expect((await own.accounts.session(signed.token))!.lacksSecond).toBeUndefined();
  });

  it('is taken by a steward from whoever lost it, which ends what they have open', async () => {
    const { signed } = await withCode();
    await own.accounts.create('bo', 'bo@tarntide.example', 'steward', PASSWORD, 'demo');
    await expect(own.admin.resetSecond(signed.account.id, ADA)).rejects.toMatchObject({ status: 403 });
    await own.admin.resetSecond(signed.account.id, 'bo@tarntide.example');
    expect(await own.accounts.session(signed.token)).toBeUndefined();
    await whole(signIn());
    expect(
      await db.query(
        "select who, subject from ledger where what = 'second-factor.removed' order by seq desc limit 1",
      ),
    ).toEqual([{ who: 'bo@tarntide.example', subject: ADA }]);
  });

  it('and the ends of sessions are settings: what makes signing in easier is said as that', async () => {
    await demand();
    const { token } = await whole(signIn());
    const lines = async () =>
      (
        await db.query<{ what: string }>(
          "select what from ledger where subject = 'sign-in' order by seq desc limit 1",
        )
      )[0]!.what;
    expect(await lines()).toBe('sign-in.set');
    await own.accounts.setSettings({ idleMinutes: 5, longestHours: 1, secondFactor: [] }, ADA);
    expect(await lines()).toBe('sign-in.lowered');
    now += 4 * 60_000;
    expect(await own.accounts.session(token)).toBeDefined();
    now += 6 * 60_000;
    expect(await own.accounts.session(token)).toBeUndefined();
    const used = await whole(signIn());
    for (let n = 0; n < 16; n++) {
      now += 4 * 60_000;
      await own.accounts.session(used.token);
    }
    expect(await own.accounts.session(used.token)).toBeUndefined();
  });
});
