/** A round over the demo, from the steward who begins it to the workspace that has what its owners have answered. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { GrantRow, LinkRow } from '../../src/core/model.ts';
import type { DeskList, DeskPage, RoundPage, RoundPreview } from '../../src/dto/review.ts';
import { livePage, openBrowser, Scene, until } from './harness.ts';
import { accessible, openAsSteward } from './views.ts';

const scene = new Scene({ mail: true });
let id: number;
let preview: RoundPreview;
const ROUND = {
  name: 'Links and shares 2026',
  kind: 'shares',
  where: 'kind == "team" || kind == "shared-drive"',
};
const page = () => scene.api<RoundPage>('GET', `/api/rounds/${id}`);
/** The link of a message to somebody. */
async function linkOf(address: string): Promise<string> {
  const [letter] = await until('the message', async () => {
    const found = await scene.letters(address);
    return found.length ? found : undefined;
  });
  return /\/desk#(\S+)/.exec(letter!.text)![1]!;
}
const open = (link: string) => scene.raw('POST', '/api/desk/link', { body: { link } });
const question = (link: string, of: number) =>
  scene.raw('POST', '/api/desk/link/question', { body: { link, id: of } });

beforeAll(async () => {
  await scene.upSurveyed();
  await scene.setMail();
});
afterAll(() => scene.down());

describe('a round', () => {
  it('says beforehand who would be asked what, as a plain reading of the workspaces has it', async () => {
    preview = await scene.api('POST', '/api/rounds/preview', { round: ROUND });
    expect(preview.things).toBeGreaterThan(5);
    expect(preview.most).toBeLessThanOrEqual(40);
    expect(preview.weeks).toEqual([
      { week: 0, spaces: preview.spaces, things: preview.things, people: preview.people },
    ]);
    ({ id } = await scene.api<{ id: number }>('POST', '/api/rounds', { round: ROUND }));
    const round = await until('everybody to be asked', async () => {
      const now = await page();
      return now.questions.every((q) => q.state === 'open') ? now : undefined;
    });
    expect(round.things).toBe(preview.things);
    expect(round.spaces).toBe(preview.spaces);
  });

  it('tells everybody who is asked once, and nobody else', async () => {
    const round = await page();
    const asked = round.owners.map((o) => o.address).sort();
    const letters = await until('the messages', async () => {
      const all = await scene.letters();
      return all.length >= asked.length ? all : undefined;
    });
    expect(letters.map((l) => l.to).sort()).toEqual(asked);
    expect(letters.every((l) => l.text.includes('/desk#'))).toBe(true);
  });

  it('does what an owner answers from the link, at the workspace, and says what came of it', async () => {
    const round = await page();
    const owner = round.owners.find((o) => o.things > 1) ?? round.owners[0]!;
    const link = await linkOf(owner.address);
    const list = (await (await open(link)).json()) as DeskList;
    expect(list.questions).toHaveLength(owner.spaces);
    const [first] = list.questions;
    const desk = (await (await question(link, first!.id)).json()) as DeskPage;
    const given = desk.list.map((_, n) => ({ n, what: n === 0 ? 'remove' : 'keep' }));
    const [kind, ...rest] = desk.list[0]!.key.split(':');
    const own = rest.slice(1).join(':');
    expect(await scene.truth(`${kind}s`, own)).not.toBeNull();
    const put = await scene.raw('PUT', '/api/desk/link', {
      body: { link, id: first!.id, given, send: true },
    });
    expect(put.status).toBe(200);
    expect(((await put.json()) as DeskPage).state).toBe('answered');
    const done = await until('what came of it', async () => {
      const now = (await (await question(link, first!.id)).json()) as DeskPage;
      return now.effect ? now : undefined;
    });
    expect(done.effect).toContain('1 link or share removed.');
    expect(await scene.truth<GrantRow | LinkRow | null>(`${kind}s`, own)).toBeNull();
    const after = await page();
    expect(after.questions.find((q) => q.id === first!.id)).toMatchObject({
      state: 'answered',
      removed: 1,
      answered: desk.list.length,
    });
    expect(after.plans).toHaveLength(1);
    expect(after.plans[0]).toMatchObject({ state: 'applied', changes: 1 });
  });

  it('opens nothing else with a link: other questions, other people, other rounds, or anything at all', async () => {
    const round = await page();
    const [one, other] = round.owners.filter((o) => o.open > 0);
    const [mine, theirs] = [await linkOf(one!.address), await linkOf(other!.address)];
    const list = (await (await open(mine)).json()) as DeskList;
    const own = new Set(list.questions.map((q) => q.id));
    for (const q of round.questions.filter((x) => !own.has(x.id))) {
      expect((await question(mine, q.id)).status).toBe(404);
      const body = { link: mine, id: q.id, given: [{ n: 0, what: 'remove' }], send: true };
      expect((await scene.raw('PUT', '/api/desk/link', { body })).status).toBe(404);
    }
    // the number of another person or round with the token of one's own
    const [r, n, token] = mine.split('.');
    for (const forged of [
      `${r}.${Number(n) + 1}.${token}`,
      `${Number(r) + 1}.${n}.${token}`,
      theirs.replace(/^\d+\.\d+/, `${r}.${n}`),
    ])
      expect((await open(forged)).status).toBe(404);
    // neither is it the link of a question about one thing, nor a way to sign in or ask for anything
    expect((await scene.raw('POST', '/api/answers/link', { body: { link: mine } })).status).toBe(404);
    for (const path of ['/api/findings', '/api/rounds', `/api/rounds/${id}`, '/api/people', '/api/desk'])
      expect((await scene.raw('GET', path, { headers: { authorization: `Bearer ${mine}` } })).status).toBe(
        401,
      );
    // what it tells of people and files is what is asked about, and of others who are asked their names
    const text = JSON.stringify(list) + JSON.stringify(await (await question(mine, [...own][0]!)).json());
    for (const o of round.owners.filter((x) => x.address !== one!.address))
      expect(text).not.toContain(o.address);
  });

  it('is answered on a phone: two spaces one after the other, by keyboard, and what was chosen is kept', async () => {
    const browser = await openBrowser();
    try {
      const context = await browser.newContext({ viewport: { width: 390, height: 800 } });
      context.setDefaultTimeout(60_000);
      const phone = await livePage(context);
      const complaints: string[] = [];
      phone.on('pageerror', (e) => complaints.push(e.message));
      const owner = (await page()).owners.find((o) => o.open > 1)!;
      await phone.goto(`${scene.base}/desk#${await linkOf(owner.address)}`);
      await phone.getByRole('heading', { name: `${owner.open} spaces wait for you` }).waitFor();
      await accessible(phone, 'the desk');
      await phone.getByRole('button', { name: /^Begin with/ }).click();
      await phone.getByRole('button', { name: 'Choose an answer to send' }).waitFor();
      const one = phone.getByRole('group', { name: /^What should become of/ }).first();
      await accessible(phone, 'a space');
      // nothing is chosen for them
      expect(await phone.getByRole('radio', { checked: true }).count()).toBe(0);
      await one.getByRole('radio', { name: 'Keep', exact: true }).focus();
      const kept = phone.waitForResponse((r) => r.request().method() === 'PUT' && r.ok());
      await phone.keyboard.press('ArrowRight');
      await kept;
      await phone.reload();
      await phone.getByRole('button', { name: /^Begin with/ }).click();
      await phone.getByRole('button', { name: 'Send 1 answer' }).waitFor();
      expect(await one.getByRole('radio', { name: 'Remove' }).isChecked()).toBe(true);
      // all at once, taken back, and chosen again
      const all = phone.getByRole('group', { name: 'All at once' });
      await all.getByRole('button', { name: 'Keep' }).click();
      expect(await one.getByRole('radio', { name: 'Remove' }).isChecked()).toBe(false);
      await all.getByRole('button', { name: 'Undo' }).click();
      expect(await one.getByRole('radio', { name: 'Remove' }).isChecked()).toBe(true);
      await all.getByRole('button', { name: 'Keep' }).click();
      await phone.getByRole('button', { name: /^Send \d+ answers?$/ }).click();
      await phone.getByText('Everything stays as it is.').waitFor();
      await phone.getByRole('button', { name: /^Go on with/ }).click();
      await phone.getByRole('button', { name: 'Choose an answer to send' }).waitFor();
      await all.getByRole('button', { name: 'Keep' }).click();
      await phone.getByRole('button', { name: /^Send \d+ answers?$/ }).click();
      await phone.getByText(/answers? sent/).waitFor();
      expect(complaints).toEqual([]);
    } finally {
      await browser.close();
    }
  });

  it('is begun by a steward who sees first who would be asked, and followed as it is answered', async () => {
    const browser = await openBrowser();
    try {
      const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
      context.setDefaultTimeout(60_000);
      const view = await livePage(context);
      await openAsSteward(view, scene.base, '/review/rounds');
      await view.getByRole('button', { name: 'New round …' }).click();
      const dialog = view.getByRole('dialog', { name: 'New round' });
      await dialog.getByText(/put to/).waitFor();
      await accessible(view, 'a new round');
      await dialog.getByRole('button', { name: /^Ask \d/ }).click();
      await view.getByRole('heading', { name: /^Guests/ }).waitFor();
      await view.getByText(/answered in 0 of/).waitFor();
      await view.getByRole('row', { name: /open/ }).first().waitFor();
      await accessible(view, 'a round');
      if (process.env.GATE_LANTERN_PICTURES) {
        await view.goto(`${scene.base}/review/rounds?round=${id}`);
        await view.getByText(/answered in/).waitFor();
        await view.screenshot({ path: `${process.env.GATE_LANTERN_PICTURES}/rounds.png` });
        await view.goBack();
      }
      for (const list of ['owners', 'departments', 'plans']) {
        await view.getByLabel('Shown', { exact: true }).selectOption(list);
        await view.waitForURL(`**list=${list}*`);
      }
      await view.getByLabel('Shown', { exact: true }).selectOption('spaces');
      await view.getByRole('button', { name: 'Remind', exact: true }).click();
      await view.getByRole('row', { name: /open/ }).first().waitFor();
      const reminded = await until('the reminders', async () => {
        const found = (await scene.letters()).filter((l) => l.subject.startsWith('Reminder: '));
        return found.length ? found : undefined;
      });
      expect(reminded.every((l) => l.text.includes('/desk#'))).toBe(true);
    } finally {
      await browser.close();
    }
  });

  it('ends with its links', async () => {
    const round = await page();
    const link = await linkOf(round.owners.find((o) => o.open > 0)!.address);
    await scene.api('POST', `/api/rounds/${id}`, { does: { act: 'end' } });
    expect((await open(link)).status).toBe(404);
    expect((await page()).state).toBe('ended');
    expect(await scene.api('GET', '/api/ledger/check')).toMatchObject({ holds: true });
  });
});
