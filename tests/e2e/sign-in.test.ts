/** Signing in, in a real browser: second factors, a passkey, the identity provider; and accounts kept by a directory. */
import type { AddressInfo } from 'node:net';
import { Secret, TOTP } from 'otpauth';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { SMTPServer } from 'smtp-server';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { AccountList, AccountRow } from '../../src/dto/accounts.ts';
import { livePage, openBrowser, PASSWORDS, Scene, until } from './harness.ts';

const scene = new Scene({ sso: true });
let browser: Browser;
/** A name, as passkeys need one. */
let base: string;
const mails: string[] = [];
const smtp = new SMTPServer({
  authOptional: true,
  disabledCommands: ['STARTTLS'],
  onData: (stream, _, done) => {
    let text = '';
    stream.on('data', (d) => (text += String(d)));
    stream.on('end', () => {
      mails.push(text);
      done();
    });
  },
});

beforeAll(async () => {
  await scene.up();
  await new Promise<void>((ready) => smtp.listen(0, '127.0.0.1', () => ready()));
  await scene.kill('SIGTERM');
  await scene.startApp({
    GATE_LANTERN_SMTP: `smtp://127.0.0.1:${(smtp.server.address() as AddressInfo).port}`,
    GATE_LANTERN_MAIL_FROM: 'lantern@tarntide.example',
  });
  base = scene.base.replace('127.0.0.1', 'localhost');
  browser = await openBrowser();
}, 120_000);
afterAll(async () => {
  await browser?.close();
  smtp.close();
  await scene.down();
});

async function fresh(): Promise<{ page: Page; context: BrowserContext }> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  // these machines are slow at times; nothing here is a measurement
  context.setDefaultTimeout(90_000);
  const page = await livePage(context);
  return { page, context };
}

async function giveAddress(page: Page, address: string, password: string): Promise<void> {
  await page.goto(`${base}/sign-in`);
  await page.getByLabel('E-mail address').fill(address);
  await page.getByLabel('Password', { exact: true }).fill(password);
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
}
const isIn = (page: Page) => page.waitForURL((u) => !/sign-in|second-factor/.test(u.pathname));
const rows = async (): Promise<AccountRow[]> => (await scene.api<AccountList>('GET', '/api/accounts')).rows;

describe('a second factor', () => {
  let seed: string;
  let recovery: string[];

  it('is demanded of auditors, who set up an app before they see anything', async () => {
    await scene.api('PUT', '/api/accounts/sign-in', {
      idleMinutes: 30,
      longestHours: 12,
      secondFactor: ['auditor'],
    });
    const { page, context } = await fresh();
    await giveAddress(page, 'auditor@tarntide.example', PASSWORDS.auditor);
    await page.waitForURL('**/second-factor');
    // nothing else answers, whatever is asked
    await page.goto(`${base}/exposure/watch`);
    expect(new URL(page.url()).pathname).toBe('/second-factor');
    const status = await page.evaluate(async () => (await fetch('/api/findings')).status);
    expect(status).toBe(403);
    await page.getByRole('button', { name: 'Add an authenticator app' }).click();
    await page.getByLabel('Your password').fill(PASSWORDS.auditor);
    await page.getByRole('button', { name: 'Go on' }).click();
    seed = (await page.getByLabel('The key', { exact: true }).textContent())!.replaceAll(' ', '');
    expect(await page.getByRole('img', { name: 'The key as a QR code' }).isVisible()).toBe(true);
    await page
      .getByLabel('Code of six digits')
      .fill(new TOTP({ secret: Secret.fromBase32(seed) }).generate());
    await page.getByRole('button', { name: 'Add it' }).click();
    await page.getByRole('button', { name: 'I have kept them' }).waitFor();
    recovery = await page
      .getByRole('list', { name: 'Recovery codes' })
      .getByRole('listitem')
      .allTextContents();
    expect(recovery).toHaveLength(10);
    await page.getByRole('button', { name: 'I have kept them' }).click();
    await isIn(page);
    expect(await page.evaluate(async () => (await fetch('/api/findings')).status)).toBe(200);
    await context.close();
  });

  it('is asked for at the next sign-in, and a recovery code does for it', async () => {
    const { page, context } = await fresh();
    await giveAddress(page, 'auditor@tarntide.example', PASSWORDS.auditor);
    await page.getByText('One more step').waitFor();
    // half a sign-in opens nothing
    expect(await page.evaluate(async () => (await fetch('/api/course')).status)).toBe(401);
    const code = page.getByLabel('Code, or a recovery code');
    await code.fill('000000');
    await page.getByRole('button', { name: 'Sign in', exact: true }).click();
    await page.getByText('This code is not right').waitFor();
    await code.fill(recovery[0]!);
    await page.getByRole('button', { name: 'Sign in', exact: true }).click();
    await isIn(page);
    await context.close();
  });

  it('may be a passkey: made, used to sign in, and removed', async () => {
    const { page, context } = await fresh();
    const devtools = await context.newCDPSession(page);
    await devtools.send('WebAuthn.enable');
    await devtools.send('WebAuthn.addVirtualAuthenticator', {
      options: {
        protocol: 'ctap2',
        transport: 'internal',
        hasResidentKey: true,
        hasUserVerification: true,
        isUserVerified: true,
        automaticPresenceSimulation: true,
      },
    });
    await giveAddress(page, 'deputy@tarntide.example', PASSWORDS.deputy);
    await isIn(page);
    await page.goto(`${base}/accounts`);
    await page.getByRole('button', { name: 'Add a passkey' }).click();
    await page.getByLabel('Your password').fill(PASSWORDS.deputy);
    await page.getByRole('button', { name: 'Go on' }).click();
    await page.getByLabel('Name, such as').fill('The laptop');
    await page.getByRole('button', { name: 'Make the passkey' }).click();
    await page.getByRole('button', { name: 'I have kept them' }).click();
    await page.getByText('passkey, not used yet').waitFor();
    expect((await rows()).find((r) => r.address.startsWith('deputy'))!.secondFactor).toEqual(['passkey']);
    await page.getByRole('button', { name: 'Sign out' }).click();
    await page.waitForURL('**/sign-in');
    await giveAddress(page, 'deputy@tarntide.example', PASSWORDS.deputy);
    await page.getByRole('button', { name: 'Use your passkey' }).click();
    await isIn(page);
    await page.goto(`${base}/accounts`);
    await page.getByText('passkey, last used').waitFor();
    await page.getByRole('button', { name: 'Remove The laptop' }).click();
    await page.getByLabel('Your password').fill(PASSWORDS.deputy);
    await page.getByRole('button', { name: 'Remove', exact: true }).click();
    await page.getByText('Your password alone opens your account').waitFor();
    await context.close();
  });
});

describe('an identity provider', () => {
  async function through(address: string): Promise<{ page: Page; context: BrowserContext }> {
    const seen = await fresh();
    await seen.page.goto(`${base}/sign-in?to=/exposure/findings`);
    await seen.page.getByRole('link', { name: 'Sign in with Tarn & Tide' }).click();
    await seen.page.getByLabel('E-mail address').fill(address);
    await seen.page.getByRole('button', { name: 'Continue' }).click();
    return seen;
  }
  const personOf = async (group: string): Promise<string> => {
    const groups = await scene.truth<{ displayName: string; members: { value: string }[] }[]>('groups');
    const id = groups.find((g) => g.displayName === group)!.members[0]!.value;
    const user = await scene.truth<{ emails: { value: string }[] }>('users', id);
    return user.emails[0]!.value;
  };

  it('signs in whoever works at the ferry line, with an account made for them and the role of their group', async () => {
    const auditor = await personOf('Safety leads');
    const { page, context } = await through(auditor);
    await page.waitForURL('**/exposure/findings**');
    await page.getByText('auditor', { exact: true }).first().waitFor();
    expect((await rows()).find((r) => r.address === auditor)).toMatchObject({
      role: 'auditor',
      state: 'active',
    });
    // a second factor is the provider's business
    expect(await page.evaluate(async () => (await fetch('/api/findings')).status)).toBe(200);
    // the session cookie is none that another site's page could send
    const cookie = (await context.cookies()).find((c) => c.name === 'gate-lantern')!;
    expect(cookie).toMatchObject({ httpOnly: true, sameSite: 'Strict' });
    await context.close();
    const owner = await personOf('Crew team 1');
    const second = await through(owner);
    await second.page.getByText('The owner desk is still to come').waitFor();
    await second.page.getByRole('link', { name: 'Your account' }).click();
    await second.page.getByText('You sign in through your organisation').waitFor();
    await second.context.close();
  });

  it('says on the sign-in page why somebody does not come in, and nothing that a link wants it to say', async () => {
    const { page, context } = await fresh();
    await page.goto(`${base}/sign-in`);
    await page.getByRole('link', { name: 'Sign in with Tarn & Tide' }).click();
    await page.getByRole('button', { name: 'Cancel' }).click();
    await page.getByText('The identity provider did not let you in.').waitFor();
    await page.goto(`${base}/sign-in?trouble=${encodeURIComponent('Call 555 0100 now')}`);
    await page.getByRole('button', { name: 'Sign in', exact: true }).waitFor();
    expect(await page.getByText('555 0100').count()).toBe(0);
    await page.goto(`${base}/api/session/sso-back?code=x&state=y`);
    await page.getByText('This sign-in was not begun here').waitFor();
    await context.close();
  });
});

describe('an invitation', () => {
  it('goes by mail, with a link that works once', async () => {
    const { page, context } = await fresh();
    await giveAddress(page, 'steward@tarntide.example', PASSWORDS.steward);
    await isIn(page);
    await page.goto(`${base}/accounts`);
    await page.getByRole('button', { name: 'Invite somebody' }).click();
    await page.getByLabel('Name').fill('Nils Havn');
    await page.getByRole('dialog').getByLabel('E-mail address').fill('nils@tarntide.example');
    await page.getByRole('button', { name: 'Make the invitation' }).click();
    await page.getByText('Invitation sent to nils@tarntide.example.', { exact: true }).waitFor();
    const mail = await until('the mail', () => Promise.resolve(mails.find((m) => m.includes('nils@'))));
    const plain = mail.replace(/=\r?\n/g, '').replaceAll('=3D', '=');
    expect(plain).toContain('Sunniva Lunde invites you');
    const link = /http:\/\/localhost:\d+\/welcome#[\w-]+/.exec(plain)![0];
    // nothing of it is kept here
    expect(scene.output.join('\n')).not.toContain(link.split('#')[1]);
    const guest = await fresh();
    await guest.page.goto(link);
    await guest.page.getByLabel('Password, at least 12 characters').fill('a fjord and seven gulls');
    await guest.page.getByRole('button', { name: 'Set password and sign in' }).click();
    // the role of auditor wants a second factor
    await guest.page.waitForURL('**/second-factor');
    await guest.context.close();
    await context.close();
  });
});

describe('a directory that keeps accounts (SCIM 2.0)', () => {
  let token: string;
  const ask = async (method: string, path: string, body?: unknown, bearer = token) => {
    const response = await fetch(`${scene.base}/scim/v2/${path}`, {
      method,
      headers: { authorization: `Bearer ${bearer}`, 'content-type': 'application/scim+json' },
      ...(body !== undefined && { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    const text = await response.text();
    return { status: response.status, body: (text ? JSON.parse(text) : null) as Record<string, unknown> };
  };
  const USER = 'urn:ietf:params:scim:schemas:core:2.0:User';
  const PATCH = 'urn:ietf:params:scim:api:messages:2.0:PatchOp';

  it('has a token of its own, which opens nothing else', async () => {
    ({ token } = await scene.api<{ token: string }>('POST', '/api/accounts/scim', {}));
    expect((await ask('GET', 'Users', undefined, 'x')).status).toBe(401);
    const other = await fetch(`${scene.base}/api/accounts`, {
      headers: { authorization: `Bearer ${token}` },
    });
    expect(other.status).toBe(401);
    // a cookie of a steward is not the token
    const cookie = await scene.cookieOf('steward');
    expect((await fetch(`${scene.base}/scim/v2/Users`, { headers: { cookie } })).status).toBe(401);
  });

  // the requests are those of RFC 7644 §3.3, §3.4.2.2, §3.5.1 and §3.5.2, with our attributes
  it('makes, finds, changes and ends an account, whose sessions end with it', async () => {
    const made = await ask('POST', 'Users', {
      schemas: [USER],
      userName: 'Bjensen@tarntide.example',
      externalId: 'bjensen',
      name: { formatted: 'Ms. Barbara J Jensen III', familyName: 'Jensen', givenName: 'Barbara' },
      roles: [{ value: 'auditor' }],
    });
    expect(made).toMatchObject({
      status: 201,
      body: {
        userName: 'bjensen@tarntide.example',
        active: true,
        externalId: 'bjensen',
        roles: [{ value: 'auditor' }],
      },
    });
    const { id } = made.body as { id: string };
    expect((await ask('POST', 'Users', { userName: 'bjensen@tarntide.example' })).body).toMatchObject({
      status: '409',
      scimType: 'uniqueness',
    });
    const filter = (f: string) => ask('GET', `Users?filter=${encodeURIComponent(f)}`);
    for (const f of ['userName eq "bjensen@tarntide.example"', 'externalId eq "bjensen"', `id Eq "${id}"`])
      expect((await filter(f)).body, f).toMatchObject({ totalResults: 1, Resources: [{ id }] });
    expect((await filter('userName eq "nobody@x.example"')).body).toMatchObject({ totalResults: 0 });
    for (const f of ['title pr', 'userName eq bjensen', `userName eq "x" or 1 eq 1`])
      expect((await filter(f)).body, f).toMatchObject({ status: '400', scimType: 'invalidFilter' });
    expect(
      (
        await ask('PUT', `Users/${id}`, {
          schemas: [USER],
          id,
          userName: 'bjensen@tarntide.example',
          displayName: 'Babs Jensen',
          active: true,
        })
      ).body,
    ).toMatchObject({ displayName: 'Babs Jensen' });
    expect(
      (
        await ask('PATCH', `Users/${id}`, {
          schemas: [PATCH],
          Operations: [
            { op: 'replace', path: 'userName', value: 'babs@tarntide.example' },
            { op: 'Replace', value: { active: 'False', title: 'not kept' } },
          ],
        })
      ).body,
    ).toMatchObject({ userName: 'babs@tarntide.example', active: false });
    expect((await rows()).find((r) => r.address === 'babs@tarntide.example')).toMatchObject({
      state: 'disabled',
    });
    expect((await ask('DELETE', `Users/${id}`)).status).toBe(204);
    expect((await ask('GET', `Users/${id}`)).status).toBe(404);
    // made again it is the same one
    expect((await ask('POST', 'Users', { userName: 'babs@tarntide.example' })).body).toMatchObject({
      id,
      active: true,
    });
  });

  it('makes no steward alone, and leaves the last one', async () => {
    const made = await ask('POST', 'Users', {
      userName: 'st@tarntide.example',
      roles: [{ value: 'steward' }],
    });
    expect(made.body).toMatchObject({ roles: [{ value: 'owner' }] });
    const account = (await rows()).find((r) => r.address === 'st@tarntide.example')!;
    expect(account.asked).toEqual({ role: 'steward', by: 'directory' });
    const steward = (await rows()).find((r) => r.address.startsWith('steward'))!;
    const deputy = (await rows()).find((r) => r.address.startsWith('deputy'))!;
    const off = (id: number) =>
      ask('PATCH', `Users/${id}`, { Operations: [{ op: 'replace', path: 'active', value: false }] });
    expect((await off(deputy.id)).status).toBe(200);
    expect((await off(steward.id)).status).toBe(409);
    await scene.api('PUT', '/api/accounts', { id: deputy.id, act: 'enable' });
  });

  it('says of bad input what is wrong, and does nothing', async () => {
    const before = (await rows()).length;
    for (const [body, status] of [
      ['{', 400],
      [{ userName: 5 }, 400],
      [{ userName: 'no address' }, 400],
      [{ userName: 'a\u0000@x.example' }, 400],
      [JSON.stringify({ userName: 'x'.repeat(1_100_000) }), 413],
    ] as const)
      expect((await ask('POST', 'Users', body)).status).toBe(status);
    for (const Operations of [
      [],
      [{ op: 'explode' }],
      [{ op: 'remove' }],
      [{ op: 'replace', path: 'active', value: 'perhaps' }],
    ])
      expect((await ask('PATCH', 'Users/1', { Operations })).status, JSON.stringify(Operations)).toBe(400);
    expect((await ask('GET', 'Users?count=-5&startIndex=-3')).body).toMatchObject({
      itemsPerPage: 0,
      startIndex: 1,
    });
    expect((await rows()).length).toBe(before);
    expect((await ask('GET', 'ServiceProviderConfig')).body).toMatchObject({ patch: { supported: true } });
  });
});
