/** The far side: five people act, are asked about, and get what the rules say, in their words. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Browser, Page } from 'playwright-core';
import type { GrantRow, ItemRow, LinkRow, SpaceRow } from '../../src/core/model.ts';
import type { Rule } from '../../src/core/guard/schema.ts';
import type { DecisionsPage } from '../../src/dto/decisions.ts';
import { openBrowser, Scene, until } from './harness.ts';

const scene = new Scene();
let browser: Browser;
let page: Page;
let file: ItemRow;
const SOURCES = ['drives', 'sites', 'channels'];
const control = (path: string, init: RequestInit = {}) =>
  fetch(`${scene.standinUrl}/control/${path}`, { ...init, headers: { authorization: 'Bearer ctl' } });
const asks = async (whenSilent: 'let' | 'refuse', url = scene.base) => {
  const tokens: Record<string, string> = {};
  for (const source of SOURCES)
    tokens[source] = (await scene.api<{ token: string }>('POST', '/api/decisions/asking', { source })).token;
  await control('decisions', { method: 'PUT', body: JSON.stringify({ url, tokens, whenSilent }) });
};
beforeAll(async () => {
  await scene.upSurveyed();
  await asks('let');
  browser = await openBrowser();
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  const spaces = new Map((await scene.truth<SpaceRow[]>('spaces')).map((s) => [s.id, s]));
  const held = new Set(
    (await scene.truth<GrantRow[]>('grants')).map((g) => ('item' in g.on ? g.on.item : '')),
  );
  file = (await scene.truth<ItemRow[]>('items')).find(
    (i) =>
      i.kind === 'file' &&
      i.owner &&
      spaces.get(i.space)?.workspace === 'drives' &&
      spaces.get(i.space)?.externalSharing !== 'off' &&
      i.mime?.startsWith('text/') &&
      !held.has(i.id),
  )!;
});
afterAll(async () => {
  await browser.close();
  await scene.down();
});

const be = (user: string, to: string, device = 'managed') =>
  page.goto(`${scene.standinUrl}/far/as?user=${user}&device=${device}&to=${encodeURIComponent(to)}`);
const place = () => `/far/item/${file.id}`;
const make = async (rules: Partial<Rule>[]): Promise<number> => {
  const policy = {
    format: 'gate-lantern-policy',
    version: 1,
    name: 'There',
    rules: rules.map((r, n) => ({
      id: `r${n + 1}`,
      name: `Rule ${n + 1}`,
      subject: 'item',
      if: `name == ${JSON.stringify(file.name)}`,
      moments: ['share'],
      mode: 'enforce',
      severity: 'high',
      responses: [],
      ...r,
    })),
  };
  return (await scene.api<{ id: number }>('POST', '/api/policies', { policy, note: 'tried' })).id;
};
const remove = (id: number) => scene.api('DELETE', `/api/policies/${id}`, {});
const shareWith = async (whom: string) => {
  await page.getByLabel('With whom').fill(whom);
  await page.getByRole('button', { name: 'Share', exact: true }).click();
};
const grantsOn = async () =>
  (await scene.truth<GrantRow[]>('grants')).filter((g) => 'item' in g.on && g.on.item === file.id);

describe('somebody on the far side', () => {
  it('is somebody, on a device, and opens what is theirs and nothing else', async () => {
    await page.goto(`${scene.standinUrl}/far/`);
    await page.getByText('Simulated workspace').waitFor();
    await page.getByLabel('Find somebody').fill('a');
    await page.getByRole('button', { name: 'Find' }).click();
    await page.getByRole('link', { name: 'on a private one' }).first().click();
    await page.getByText('on a private device').waitFor();
    await be(file.owner!, place());
    await page.getByRole('heading', { name: file.name }).waitFor();
    await page.getByRole('button', { name: 'Download' }).waitFor();
    const people = await scene.truth<{ id: string; active?: boolean }[]>('users');
    const other = people.filter((u) => u.id !== file.owner);
    let shut = 0;
    for (const u of other.slice(0, 40)) {
      const response = await be(u.id, place());
      if (response!.status() === 404) shut++;
    }
    expect(shut).toBeGreaterThan(0);
    // a page elsewhere cannot act here, nor lead away
    const forged = await fetch(`${scene.standinUrl}${place()}`, {
      method: 'POST',
      headers: { cookie: `far-user=${file.owner}`, origin: 'https://evil.example' },
      body: 'act=download',
    });
    expect(forged.status).toBe(403);
    const led = await fetch(`${scene.standinUrl}/far/as?user=u&to=${encodeURIComponent('//evil.example')}`, {
      redirect: 'manual',
    });
    expect(led.headers.get('location')).toBe('/far/spaces');
  });

  it('shares, is refused in the words of the rule, and nothing is shared then', async () => {
    await be(file.owner!, place());
    await shareWith('pilot@elsewhere.example');
    await page.getByText('Done: share.').waitFor();
    expect((await grantsOn()).map((g) => g.to)).toEqual([{ email: 'pilot@elsewhere.example' }]);
    const id = await make([
      { if: 'could >= outside', responses: [{ do: 'refuse', text: 'Ask the <b>purser</b> first.' }] },
    ]);
    await shareWith('second@elsewhere.example');
    await page.getByRole('alert').getByText('Not allowed. Ask the <b>purser</b> first.').waitFor();
    expect(await grantsOn()).toHaveLength(1);
    await page.getByLabel('Link for').selectOption('anyone');
    await page.getByRole('button', { name: 'Make a link' }).click();
    await page.getByText('Not allowed.').waitFor();
    const made = (await scene.truth<LinkRow[]>('links')).filter(
      (l) => 'item' in l.on && l.on.item === file.id,
    );
    expect(made).toEqual([]);
    await remove(id);
  });

  it('is cautioned, says why, and goes on', async () => {
    const id = await make([{ responses: [{ do: 'caution', text: 'This leaves the house.', reason: true }] }]);
    await be(file.owner!, place());
    await shareWith('third@elsewhere.example');
    await page.getByText('This leaves the house.').waitFor();
    expect(await grantsOn()).toHaveLength(1);
    await page.getByLabel('Why?').fill('They are our auditors.');
    await page.getByRole('button', { name: 'Go on' }).click();
    await page.getByText('Done: share.').waitFor();
    expect(await grantsOn()).toHaveLength(2);
    const went = async () =>
      (await scene.api<DecisionsPage>('GET', `/api/decisions?policy=${id}&outcome=went-on`)).rows[0];
    expect(await until('it to be recorded', went)).toMatchObject({
      reason: 'They are our auditors.',
      managed: true,
    });
    await remove(id);
  });

  it('has no command for copies where the rule takes them from readers, and the owner has', async () => {
    await be(file.owner!, place());
    const people = await scene.truth<{ id: string; userName: string; active?: boolean }[]>('users');
    const { id: reader, userName } = people.find((p) => p.active !== false && p.id !== file.owner)!;
    await shareWith(userName);
    await page.getByText('Done: share.').waitFor();
    await scene.survey('incremental');
    const id = await make([
      { moments: ['open', 'download', 'print', 'copy'], responses: [{ do: 'without-copies' }] },
    ]);
    await be(reader, place());
    await page.getByText('Downloading, printing and copying are off for you.').waitFor();
    expect(await page.getByRole('button', { name: 'Download' }).count()).toBe(0);
    await be(file.owner!, place());
    await page.getByRole('button', { name: 'Download' }).click();
    await page.getByText('Done: download.').waitFor();
    await remove(id);
  });

  it('is let, or refused, as the workspace is set when nobody answers, and what was let is in its log', async () => {
    await asks('let', 'http://127.0.0.1:9');
    await be(file.owner!, place());
    await page.getByText('Nobody could be asked whether this is allowed.').waitFor();
    const acts = (await (await control('acts')).json()) as { type: string; data: { unasked?: boolean } }[];
    expect(acts.at(-1)).toMatchObject({ type: 'file.opened', data: { unasked: true } });
    await asks('refuse', 'http://127.0.0.1:9');
    await be(file.owner!, place());
    await page.getByText('Nobody can say now whether this is allowed.').waitFor();
  });
});
