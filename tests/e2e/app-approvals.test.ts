/** Letting apps in on the far side: refused, asked for, approved, and refused again where the app wants more. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Browser, Page } from 'playwright-core';
import type { Approvals } from '../../src/dto/approvals.ts';
import type { AppDossier } from '../../src/dto/apps.ts';
import type { Trial } from '../../src/dto/guard.ts';
import type { DecisionsPage } from '../../src/dto/decisions.ts';
import { livePage, openBrowser, PASSWORDS, Scene, until } from './harness.ts';

const scene = new Scene({ mail: true });
let browser: Browser;
let page: Page;
let steward: Page;
let user: { id: string; displayName: string; userName: string };
let others: string[];
const APP = 'any-format.drives';
const KEY = `drives:${APP}`;
const approvals = () => scene.api<Approvals>('GET', '/api/apps/approvals');
const grants = async () =>
  (await scene.truth<{ app: string; user?: string; scopes: string[] }[]>('app-grants')).filter(
    (g) => g.app === APP && g.user === user.id,
  );

beforeAll(async () => {
  await scene.upSurveyed();
  await scene.setMail();
  const { token } = await scene.api<{ token: string }>('POST', '/api/decisions/asking', { source: 'drives' });
  await fetch(`${scene.standinUrl}/control/decisions`, {
    method: 'PUT',
    headers: { authorization: 'Bearer ctl' },
    body: JSON.stringify({ url: scene.base, tokens: { drives: token }, whenSilent: 'refuse' }),
  });
  const has = new Set(
    (await scene.truth<{ app: string; user?: string }[]>('app-grants')).flatMap((g) =>
      g.app === APP ? g.user : [],
    ),
  );
  const people =
    await scene.truth<{ id: string; displayName: string; active?: boolean; userName: string }[]>('users');
  user = people.find(
    (u) => u.active !== false && !has.has(u.id) && u.userName.endsWith('@tarntide.example'),
  )!;
  others = people.flatMap((u) =>
    u.id !== user.id && u.active !== false && u.userName.endsWith('@tarntide.example') ? u.userName : [],
  );
  const policy = {
    format: 'gate-lantern-policy',
    version: 1,
    name: 'Apps',
    rules: [
      {
        id: 'r1',
        name: 'Apps that are not approved',
        subject: 'appGrant',
        if: '!approved && (points >= 60 || "mail:read" in scopes)',
        moments: ['consent'],
        mode: 'enforce',
        severity: 'high',
        responses: [{ do: 'refuse', text: 'Ask the stewards first.' }],
      },
    ],
  };
  await scene.api('POST', '/api/policies', { policy, note: 'tried before' });
  browser = await openBrowser();
  page = await (await browser.newContext()).newPage();
  steward = await livePage(await browser.newContext({ viewport: { width: 1280, height: 800 } }));
});
afterAll(async () => {
  await browser.close();
  await scene.down();
});

const letIn = async (more: string[] = []) => {
  await page.goto(
    `${scene.standinUrl}/far/as?user=${user.id}&device=managed&to=${encodeURIComponent('/far/apps')}`,
  );
  const app = page.getByRole('listitem').filter({ hasText: 'Any Format' });
  for (const scope of more) await app.getByLabel(scope).check();
  await app.getByRole('button', { name: /^Let in/ }).click();
};

describe('a rule about letting in', () => {
  it('is tried on the apps that were let in lately', async () => {
    const { takenAt } = await scene.api<{ takenAt: string }>('GET', '/api/apps');
    const until = Date.parse(takenAt);
    const lately = (
      await scene.truth<{ scopes: string[]; grantedAt: string; user?: string }[]>('app-grants')
    ).filter((g) => Date.parse(g.grantedAt) > until - 90 * 86_400_000 && Date.parse(g.grantedAt) <= until);
    const wanted = lately.filter((g) => g.scopes.includes('mail:read'));
    expect(wanted.length).toBeGreaterThan(0);
    const rule = {
      ...{ id: 'r1', name: 'Mail', subject: 'appGrant', if: '"mail:read" in scopes' },
      ...{ moments: ['consent'], mode: 'observe', severity: 'high', responses: [{ do: 'refuse' }] },
    };
    const policy = { format: 'gate-lantern-policy', version: 1, name: 'Tried', rules: [rule] };
    const { trial } = await scene.api<{ trial: Trial }>('POST', '/api/policies/trial', {
      policy,
      rule: 'r1',
      days: 90,
    });
    expect(trial).toMatchObject({
      shared: lately.length,
      hits: wanted.length,
      refusedAlready: wanted.length,
      ofPeople: new Set(wanted.map((g) => g.user)).size,
    });
    expect(trial.rows.every((r) => r.key.startsWith('app:') && r.words.includes('mail:read'))).toBe(true);
  });
});

describe('an app that is let in on the far side', () => {
  it('is refused where a policy wants it so, in its words, and is not let in', async () => {
    await letIn();
    await page.getByText('Ask the stewards first.').waitFor();
    expect(await grants()).toEqual([]);
    const { rows } = await until('the decision to be recorded', async () => {
      const found = await scene.api<DecisionsPage>('GET', '/api/decisions?limit=50&outcome=refused');
      return found.total ? found : undefined;
    });
    expect(rows[0]).toMatchObject({
      action: 'consent',
      name: 'Any Format',
      key: `app:${KEY}`,
      policyName: 'Apps',
    });
  });

  it('can be asked for, once, with a reason that is hostile', async () => {
    await page.getByLabel('Why do you need it?').fill('<script>alert(1)</script> =1+1');
    await page.getByRole('button', { name: 'Ask for it' }).click();
    await page.getByText('A steward has been asked').waitFor();
    const { requests } = await approvals();
    expect(requests).toMatchObject([
      {
        name: 'Any Format',
        personName: user.displayName,
        reason: '<script>alert(1)</script> =1+1',
        scopes: ['files:read:own', 'files:share:own', 'files:write:own'],
        answered: null,
        now: { people: 11 },
      },
    ]);
    // asking again changes the reason alone
    await letIn();
    await page.getByLabel('Why do you need it?').fill('to convert drawings');
    await page.getByRole('button', { name: 'Ask for it' }).click();
    await page.getByText('A steward has been asked').waitFor();
    expect((await approvals()).requests.map((r) => r.reason)).toEqual(['to convert drawings']);
  });

  it('is passed on to somebody else, who sees it from a link that is good for it alone', async () => {
    const [request] = (await approvals()).requests;
    const pass = (to: string) =>
      scene.raw('POST', '/api/apps/pass', { role: 'steward', body: { id: request!.id, to } });
    expect((await pass('nobody@tarntide.example')).status).toBe(422);
    expect((await pass(user.userName)).status).toBe(409);
    const link = async (to: string): Promise<string> => {
      const [letter] = await until('the mail', async () => {
        const found = (await scene.letters(to)).filter((l) => l.subject.startsWith('May '));
        return found.length > 0 && found;
      });
      expect(letter!.text).toContain('to convert drawings');
      return /\/app-request#(\S+)/.exec(letter!.text)![1]!;
    };
    const open = (of: string) => scene.raw('POST', '/api/apps/request-link', { body: { link: of } });
    const [first, second] = others as [string, string];
    expect((await pass(first)).ok).toBe(true);
    const old = await link(first);
    expect(await (await open(old)).json()).toMatchObject({
      name: 'Any Format',
      personName: user.displayName,
      reason: 'to convert drawings',
      now: { people: 11 },
      answered: null,
    });
    expect((await pass(second)).ok).toBe(true);
    const now = await link(second);
    expect((await open(old)).status).toBe(404);
    expect((await open(now.replace(/^\d+/, (n) => String(Number(n) + 1)))).status).toBe(404);
    const told = await (await open(now)).text();
    expect(told).not.toContain('@');
    // an approval of theirs has a last day
    const yes = { link: now, approved: true, until: null, answer: 'For drawings' };
    expect((await scene.raw('PUT', '/api/apps/request-link', { body: yes })).status).toBe(422);
    await page.goto(`${scene.base}/app-request#${now}`);
    await page.getByRole('heading', { name: 'use the app Any Format?' }).waitFor();
    await page.getByLabel(/is told$/).fill('Please use the portal');
    await page.getByRole('button', { name: 'Send the answer' }).click();
    await page.getByText('It is refused.').waitFor();
    expect((await approvals()).requests[0]!.answered).toMatchObject({
      approved: false,
      by: second,
      answer: 'Please use the portal',
    });
    expect(
      (await scene.raw('PUT', '/api/apps/request-link', { body: { ...yes, until: '2099-01-01' } })).status,
    ).toBe(409);
    const told2 = await until('the answer', async () => {
      const found = (await scene.letters(user.userName)).filter((l) => l.subject.includes('not approved'));
      return found.length > 0 && found;
    });
    expect(told2).toHaveLength(1);
    // they ask again
    await letIn();
    await page.getByLabel('Why do you need it?').fill('to convert drawings');
    await page.getByRole('button', { name: 'Ask for it' }).click();
    await page.getByText('A steward has been asked').waitFor();
  });

  it('is approved by a steward, whoever asked is told, and it is let in then', async () => {
    await steward.goto(`${scene.base}/guard/apps`);
    await steward.getByLabel('E-mail address').fill('steward@tarntide.example');
    await steward.getByLabel('Password').fill(PASSWORDS.steward);
    await steward.getByRole('button', { name: 'Sign in', exact: true }).click();
    await steward.getByText('“to convert drawings”').first().waitFor();
    await steward.getByRole('button', { name: 'Approve …' }).click();
    await steward.getByLabel('Until, with that day').fill('2099-12-31');
    await steward.getByLabel(/is told$/).fill('For drawings alone');
    await steward.getByRole('button', { name: 'Approve', exact: true }).click();
    await steward.getByText('approved', { exact: true }).first().waitFor();
    const { approvals: stand, requests: all } = await approvals();
    const requests = all.filter((r) => r.answered?.by === 'steward@tarntide.example');
    expect(stand).toMatchObject([{ app: KEY, approved: true, groups: [], until: '2099-12-31', more: [] }]);
    expect(requests[0]!.answered).toMatchObject({ approved: true, answer: 'For drawings alone' });
    const messages = await scene.api<{ rows: { subject: string }[] }>('GET', '/api/messages?limit=50');
    expect(messages.rows.map((m) => m.subject)).toContain('You can use Any Format now');
    await letIn();
    await page.getByText('Any Format is let in.').waitFor();
    expect(await grants()).toMatchObject([
      { scopes: ['files:read:own', 'files:share:own', 'files:write:own'] },
    ]);
  });

  it('is refused again where it asks for more than it was approved for', async () => {
    await letIn(['mail:read']);
    await page.getByText('Ask the stewards first.').waitFor();
    expect((await grants())[0]!.scopes).not.toContain('mail:read');
    const dossier = await scene.api<AppDossier>('GET', `/api/apps/one?key=${encodeURIComponent(KEY)}`);
    expect(dossier.approval).toMatchObject({ approved: true, until: '2099-12-31' });
  });

  it('is refused once the approval is ended; and where nobody says, as the workspace is set', async () => {
    const { approvals: stand } = await approvals();
    await scene.api('DELETE', '/api/apps/approvals', { id: stand[0]!.id });
    expect((await approvals()).approvals).toEqual([]);
    await letIn();
    await page.getByText('Ask the stewards first.').waitFor();
    expect(
      (await scene.raw('DELETE', '/api/apps/approvals', { role: 'steward', body: { id: stand[0]!.id } }))
        .status,
    ).toBe(404);
    expect(
      (
        await scene.raw('PUT', '/api/apps/approvals', {
          role: 'auditor',
          body: { app: KEY, approved: true, groups: [], scopes: [], until: null, reason: 'to see' },
        })
      ).status,
    ).toBe(403);
  });
});
