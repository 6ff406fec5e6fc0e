import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { SsoSettings } from '../core/roles.ts';
import type { OpenDb } from '../store/db.ts';
import { LyingProvider, type Lies } from '../../tests/lying-provider.ts';
import { ownAccounts, whole } from '../../tests/own-accounts.ts';
import { ownDb } from '../../tests/own-db.ts';
import { Sso } from './sso.ts';

const SITE = { rpId: 'localhost', origin: 'http://localhost:4680' };
const FROM = { source: '192.0.2.1' };
const PASSWORD = 'four words and a river';
const address = (name: string): string => `${name}@tarntide.example`;
let db: OpenDb;
let now = Date.parse('2026-03-02T09:00:00Z');
let own: ReturnType<typeof ownAccounts>;
let sso: Sso;
const provider = new LyingProvider();
beforeAll(() => provider.start());
afterAll(() => provider.stop());
ownDb((opened) => {
  db = opened;
  own = ownAccounts(db, () => new Date(now));
  sso = new Sso(db, own.ledger, own.secrets, own.accounts, own.admin, () => new Date(now), true);
});

const settings = (more: Partial<SsoSettings> = {}): SsoSettings => ({
  name: 'Tarn & Tide',
  issuer: provider.issuer,
  clientId: 'gate-lantern',
  claim: 'groups',
  roles: [
    { value: 'leads', role: 'steward' },
    { value: 'safety', role: 'auditor' },
  ],
  otherwise: 'owner',
  makes: true,
  passwords: true,
  emergency: null,
  ...more,
});
const claimsOf = (name: string, more: object = {}): object => ({
  sub: `sub-${name}`,
  email: address(name),
  email_verified: true,
  name,
  ...more,
});
const set = (more: Partial<SsoSettings> = {}) => sso.set(settings(more), 'the secret', address('ada'));

/** Somebody goes there and comes back. */
async function through(claims: object, to = '/') {
  const { url, begun } = await sso.begin(SITE, to);
  return sso.back(SITE, provider.signIn(url, claims), begun, FROM);
}
const roleOf = async (name: string): Promise<string | undefined> =>
  (await own.admin.list()).rows.find((r) => r.address === address(name))?.role;

beforeEach(async () => {
  now += 3_600_000;
  provider.lies = {};
  for (const table of ['session', 'sign_in_try', 'account']) await db.query(`delete from ${table}`);
  await db.query("delete from setting where name like 'sso%'");
  await sso.readSettings();
  await own.accounts.create('ada', address('ada'), 'steward', PASSWORD, 'first visit');
});

describe('signing in at an identity provider', () => {
  it('sends the browser there with PKCE, state and nonce, and asks for the code alone', async () => {
    await set();
    const { url, begun } = await sso.begin(SITE, '/');
    const q = Object.fromEntries(url.searchParams);
    expect(q).toMatchObject({
      response_type: 'code',
      code_challenge_method: 'S256',
      redirect_uri: 'http://localhost:4680/api/session/sso-back',
      client_id: 'gate-lantern',
    });
    expect(q.state!.length).toBeGreaterThan(30);
    expect(q.nonce!.length).toBeGreaterThan(30);
    // what the browser keeps says nothing to it
    for (const secret of [q.state!, q.nonce!, q.code_challenge!]) expect(begun).not.toContain(secret);
  });

  it('makes an account with the role of the claim, finds it again by its subject, and follows the claim', async () => {
    await set();
    const first = await through(claimsOf('bo', { groups: ['safety', 'crew'] }), '/exposure/watch');
    expect(first).toMatchObject({
      to: '/exposure/watch',
      account: { role: 'auditor', address: address('bo') },
    });
    expect(await own.accounts.session(first.token)).toMatchObject({ role: 'auditor' });
    // another address and name at the provider is the same person here
    const again = await through({ ...claimsOf('bo'), email: address('bo.new'), groups: 'leads' });
    expect(again.account).toMatchObject({ id: first.account.id, role: 'steward' });
    expect((await through(claimsOf('bo'))).account.role).toBe('owner');
    expect((await own.admin.list()).rows).toHaveLength(2);
  });

  it('knows an account by a verified address alone, and never takes it from whom it has been given to', async () => {
    await set({ roles: [], otherwise: 'auditor' });
    await own.accounts.create('bo', address('bo'), 'owner', PASSWORD, 'demo');
    await expect(through({ ...claimsOf('bo'), email_verified: false })).rejects.toMatchObject({
      code: 'sso-address',
    });
    const { account } = await through(claimsOf('bo'));
    // without a claim that says roles, the one that it has here stays
    expect(account.role).toBe('owner');
    await expect(through({ ...claimsOf('bo'), sub: 'somebody else' })).rejects.toMatchObject({
      code: 'sso-other',
    });
    await own.admin.setActive(account.id, false, address('ada'));
    await expect(through(claimsOf('bo'))).rejects.toMatchObject({ code: 'sso-disabled' });
  });

  it('lets nobody in without a role, or without an account where none is to be made', async () => {
    await set({ otherwise: null });
    await expect(through(claimsOf('bo', { groups: ['crew'] }))).rejects.toMatchObject({ code: 'sso-role' });
    await set({ makes: false });
    await expect(through(claimsOf('bo', { groups: ['leads'] }))).rejects.toMatchObject({
      code: 'sso-account',
    });
    expect(await roleOf('bo')).toBeUndefined();
  });

  it('never leaves the installation without a steward', async () => {
    await set();
    const { account } = await through(claimsOf('ada', { groups: ['crew'] }));
    expect(account.role).toBe('steward');
  });

  it.each<[string, Lies]>([
    ['another nonce', { nonce: 'x' }],
    ['another issuer', { issuer: 'https://elsewhere.example' }],
    ['another audience', { audience: 'somebody-else' }],
    ['a token that has ended', { expired: true }],
    ['a key that is not published', { otherKey: true }],
    ['a token that is not signed', { unsigned: true }],
  ])('is refused with %s', async (_, lies) => {
    await set();
    provider.lies = lies;
    await expect(through(claimsOf('bo'))).rejects.toMatchObject({ code: 'sso-answer' });
    expect(await roleOf('bo')).toBeUndefined();
  });

  it('is refused where it was not begun by this browser, was begun long ago, is another’s, or comes twice', async () => {
    await set();
    const mine = await sso.begin(SITE, '/');
    const theirs = await sso.begin(SITE, '/');
    const answer = provider.signIn(theirs.url, claimsOf('bo'));
    for (const begun of [undefined, '', 'made up'])
      await expect(sso.back(SITE, answer, begun, FROM)).rejects.toMatchObject({ code: 'sso-begun' });
    // somebody else's answer put under my sign-in: state does not fit
    await expect(sso.back(SITE, answer, mine.begun, FROM)).rejects.toMatchObject({ code: 'sso-answer' });
    await sso.back(SITE, answer, theirs.begun, FROM);
    await expect(sso.back(SITE, answer, theirs.begun, FROM)).rejects.toMatchObject({ code: 'sso-answer' });
    const late = provider.signIn(mine.url, claimsOf('bo'));
    now += 11 * 60_000;
    await expect(sso.back(SITE, late, mine.begun, FROM)).rejects.toMatchObject({ code: 'sso-begun' });
    const { begun } = await sso.begin(SITE, '/');
    await expect(sso.back(SITE, '?error=access_denied&state=x', begun, FROM)).rejects.toMatchObject({
      code: expect.stringMatching(/sso-(?:denied|answer)/) as string,
    });
  });

  it('says so where the provider cannot be reached, and asks nobody on this machine unless that is allowed', async () => {
    await set();
    provider.lies = { down: true };
    now += 2 * 3_600_000;
    await expect(sso.begin(SITE, '/')).rejects.toMatchObject({ code: 'sso-unreachable' });
    const strict = new Sso(db, own.ledger, own.secrets, own.accounts, own.admin, () => new Date(now), false);
    await expect(strict.set(settings(), 's', address('ada'))).rejects.toMatchObject({
      code: 'source-address',
    });
    await strict.readSettings();
    await expect(strict.begin(SITE, '/')).rejects.toMatchObject({ code: 'sso-unreachable' });
  });
});

describe('who the provider is', () => {
  it('is said by two stewards where there are two; ending it takes one', async () => {
    expect(await set()).toEqual({ asked: false });
    await own.accounts.create('bo', address('bo'), 'steward', PASSWORD, 'demo');
    const next = settings({ otherwise: 'steward' });
    expect(await sso.set(next, undefined, address('ada'))).toEqual({ asked: true });
    expect(sso.door()).toMatchObject({ name: 'Tarn & Tide' });
    const { proposed } = await sso.state();
    await expect(sso.decide(true, proposed!.at, address('ada'))).rejects.toMatchObject({
      code: 'same-steward',
    });
    await expect(sso.decide(true, 'another time', address('bo'))).rejects.toMatchObject({
      code: 'no-proposal',
    });
    await sso.decide(true, proposed!.at, address('bo'));
    expect((await through(claimsOf('cy'))).account.role).toBe('steward');
    expect(await sso.set(null, undefined, address('ada'))).toEqual({ asked: false });
    expect(sso.door()).toBeNull();
    const dump = JSON.stringify([
      await db.query('select * from setting'),
      await db.query('select * from ledger'),
    ]);
    expect(dump).not.toContain('the secret');
  });

  it('ends passwords once it was seen to work, but for the emergency account', async () => {
    await set();
    const only = { passwords: false, emergency: address('ada') };
    await expect(set({ ...only, emergency: null })).rejects.toMatchObject({ code: 'no-emergency' });
    await expect(set(only)).rejects.toMatchObject({ code: 'not-seen' });
    await own.accounts.create('bo', address('bo'), 'auditor', PASSWORD, 'demo');
    await through(claimsOf('bo', { groups: ['safety'] }));
    await set(only);
    await expect(own.accounts.signIn(address('bo'), PASSWORD)).rejects.toMatchObject({
      code: 'wrong-sign-in',
    });
    expect((await whole(own.accounts.signIn(address('ada'), PASSWORD))).account.name).toBe('ada');
    // after a start, too
    const later = new Sso(db, own.ledger, own.secrets, own.accounts, own.admin, () => new Date(now), true);
    own.accounts.passwordOpens = () => true;
    await later.readSettings();
    await expect(own.accounts.signIn(address('bo'), PASSWORD)).rejects.toMatchObject({
      code: 'wrong-sign-in',
    });
  });
});
