/** Spaces that lie idle, that nobody owns and that have a charter, over the demo: from what is asked to what the workspaces have then. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeWorld } from '../../demo/world.ts';
import type { ItemRow, SpaceRow } from '../../src/core/model.ts';
import type { CharterBookDto, ReviewSpaces, SpacePage } from '../../src/dto/charters.ts';
import type { DeskList, DeskPage, RoundPage, RoundRow } from '../../src/dto/review.ts';
import type { PlanDetail } from '../../src/dto/remedy.ts';
import { checkEvidence } from '../../src/formats/evidence.ts';
import { livePage, openBrowser, Scene, until } from './harness.ts';
import { accessible, openAsSteward } from './views.ts';

const scene = new Scene({ mail: true });
const DAY = 86_400_000;
const list = (query: string) => scene.api<ReviewSpaces>('GET', `/api/spaces?${query}&limit=500`);
const act = (does: object) =>
  scene.api<{ plan: number | null; cannot: string[] }>('POST', '/api/spaces', { does });
const keyOf = async (name: string): Promise<string> => {
  const { rows } = await list(`of=charters&text=${encodeURIComponent(name)}`);
  return rows.find((r) => r.name === name)!.key;
};
const planEnd = (id: number, state = 'applied') =>
  until(`plan ${id} to be ${state}`, async () => {
    const plan = await scene.api<PlanDetail>('GET', `/api/plans/${id}`);
    return plan.state === state ? plan : undefined;
  });
async function apply(id: number): Promise<PlanDetail> {
  await scene.approved(id);
  await scene.api('POST', `/api/plans/${id}`, { act: 'apply' });
  return planEnd(id);
}
const begin = async (round: object): Promise<RoundPage> => {
  const { id } = await scene.api<{ id: number }>('POST', '/api/rounds', { round });
  return until('everybody to be asked', async () => {
    const page = await scene.api<RoundPage>('GET', `/api/rounds/${id}`);
    return page.questions.every((q) => q.state === 'open') ? page : undefined;
  });
};
/** The desk of somebody who was asked, by the link in their last message. */
async function deskOf(address: string, space: string) {
  const link = await until(`the message to ${address}`, async () => {
    const letters = await scene.letters(address);
    const last = letters.findLast((l) => l.text.includes('/desk#') && l.text.includes(space));
    return last && /\/desk#(\S+)/.exec(last.text)![1]!;
  });
  const ask = async <T>(path: string, body: object, method = 'POST'): Promise<T> => {
    const response = await scene.raw(method, path, { body });
    if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`);
    return (await response.json()) as T;
  };
  const { questions } = await ask<DeskList>('/api/desk/link', { link });
  const { id } = questions.find((q) => q.space === space && q.state === 'open')!;
  const page = () => ask<DeskPage>('/api/desk/link/question', { link, id });
  return {
    link,
    page,
    give: (given: object) =>
      ask<DeskPage>('/api/desk/link', { link, id, given: [{ n: 0, ...given }], send: true }, 'PUT'),
    effect: () => until('what came of it', async () => (await page()).effect ?? undefined),
  };
}
const spaceTruth = (key: string) => scene.truth<SpaceRow>('spaces', key.split(':').slice(2).join(':'));

beforeAll(async () => {
  await scene.upSurveyed();
  await scene.setMail();
});
afterAll(() => scene.down());

describe('spaces that lie idle', () => {
  it('are those that a plain reading of the workspaces finds', async () => {
    const spaces = await scene.truth<SpaceRow[]>('spaces');
    const items = await scene.truth<ItemRow[]>('items');
    const spaceOfItem = new Map(items.map((i) => [i.id, i.space]));
    const teamOf = new Map(spaces.flatMap((s) => (s.parts ?? []).map((p) => [p, s.id] as const)));
    const last = new Map<string, number>();
    const at = (space: string | undefined, time: string | undefined): void => {
      if (!space || !time) return;
      const top = teamOf.get(space) ?? space;
      last.set(top, Math.max(last.get(top) ?? 0, Date.parse(time)));
    };
    for (const s of spaces) for (const t of Object.values(s.lastActivity ?? {})) at(s.id, t);
    for (const i of items) at(i.space, i.modifiedAt);
    for (const a of makeWorld().activity as { subject: string; time: string }[])
      at(spaceOfItem.get(a.subject), a.time);
    const { takenAt } = await scene.api<{ takenAt: string }>('GET', '/api/holdings');
    const expected = spaces
      .filter((s) => !teamOf.has(s.id))
      .filter((s) => {
        const seen = last.get(s.id) ?? Date.parse(s.createdAt ?? '');
        return Number.isNaN(seen) || Math.floor((Date.parse(takenAt) - seen) / DAY) >= 90;
      })
      .map((s) => s.name)
      .sort();
    expect(expected.length).toBeGreaterThan(4);
    const { rows, total } = await list('of=dormant');
    expect(rows.map((r) => r.name).sort()).toEqual(expected);
    expect(total).toBe(expected.length);
    // and as a condition anywhere
    const where = encodeURIComponent('dormant');
    expect((await list(`of=charters&where=${where}`)).rows.map((r) => r.name).sort()).toEqual(
      rows
        .filter((r) => r.kind !== 'personal-drive')
        .map((r) => r.name)
        .sort(),
    );
  });

  it('are archived by an owner’s answer, can be read and not changed, and come back by undo', async () => {
    const space = 'Tender for the Lismore route';
    const key = await keyOf(space);
    const round = await begin({ name: 'Still needed?', kind: 'needed', where: 'true', spaces: [key] });
    expect(round.questions.map((q) => q.space)).toEqual([space]);
    expect((await list('of=dormant')).rows.find((r) => r.key === key)!.asked).toMatchObject({
      round: round.id,
    });
    const desk = await deskOf(round.owners[0]!.address, space);
    expect((await desk.page()).list[0]!.recommended).toMatchObject({ what: 'archive' });
    await desk.give({ what: 'archive' });
    expect(await desk.effect()).toContain('It is archived');
    expect((await spaceTruth(key)).archived).toBe(true);
    await scene.survey('incremental');
    expect((await list('of=dormant')).rows.map((r) => r.key)).not.toContain(key);
    expect((await list('of=dormant&show=archived')).rows.map((r) => r.key)).toContain(key);
    const { plans } = await scene.api<RoundPage>('GET', `/api/rounds/${round.id}`);
    await scene.undo(plans[0]!.id);
    await planEnd(plans[0]!.id, 'undone');
    expect((await spaceTruth(key)).archived).toBeUndefined();
  });

  it('that are kept are not dormant until the day is over', async () => {
    const key = await keyOf('Regatta 2025');
    const until = new Date(Date.now() + 30 * DAY).toISOString().slice(0, 10);
    await act({ act: 'keep', spaces: [key], until, reason: 'The next one is planned from it' });
    expect((await list('of=dormant')).rows.map((r) => r.key)).not.toContain(key);
    const kept = (await list('of=dormant&show=kept')).rows.find((r) => r.key === key)!;
    expect(kept.kept).toMatchObject({ until, by: 'steward@tarntide.example' });
    const page = await scene.api<SpacePage>('GET', `/api/spaces/one?space=${encodeURIComponent(key)}`);
    expect(page.row.idleDays).toBeGreaterThan(90);
    const past = await scene.raw('POST', '/api/spaces', {
      role: 'steward',
      body: { does: { act: 'keep', spaces: [key], until: '2020-01-01', reason: 'x' } },
    });
    expect(past.status).toBe(422);
  });

  it('are deleted by a plan with a second steward, after which nobody can do anything with them', async () => {
    const key = await keyOf('Winter timetable 2024');
    const { plan } = await act({ act: 'delete', spaces: [key] });
    expect((await scene.api<PlanDetail>('GET', `/api/plans/${plan!}`)).approval?.wants.join()).toContain(
      'deletes',
    );
    await apply(plan!);
    expect((await spaceTruth(key)).binned).toBe(true);
    await scene.survey('incremental');
    const who = await scene.api<{ rows: unknown[] }>(
      'GET',
      `/api/holdings/who?node=${encodeURIComponent(key)}`,
    );
    expect(who.rows).toEqual([]);
    await scene.undo(plan!);
    await planEnd(plan!, 'undone');
    // what lay in the bin for too long cannot be restored, and that is said
    await scene.survey('incremental');
    const again = await act({ act: 'delete', spaces: [key] });
    await apply(again.plan!);
    const binnedAt = new Date(Date.now() - 31 * DAY).toISOString();
    await scene.setTruth('spaces', { ...(await spaceTruth(key)), binnedAt });
    await scene.undo(again.plan!);
    await until('the undo to be refused', async () => {
      const { list: changes } = await scene.api<PlanDetail>('GET', `/api/plans/${again.plan!}`);
      return changes.some((c) => c.note?.includes('cannot be changed or restored'));
    });
    expect((await spaceTruth(key)).binned).toBe(true);
  });
});

describe('spaces that nobody owns', () => {
  it('go to whoever says yes, asked one after another', async () => {
    const { rows } = await list('of=ownerless');
    const space = rows.find((r) => r.name === 'Pier works Kerrera')!;
    expect(space.owners.every((o) => !o.active)).toBe(true);
    expect(space.likely.length).toBeGreaterThan(1);
    const round = await begin({
      name: 'Who owns it?',
      kind: 'owner',
      where: 'activeOwners == 0',
      spaces: [space.key],
    });
    // the likeliest alone
    expect(round.questions[0]!.asked).toEqual([space.likely[0]!.name]);
    const first = await deskOf(space.likely[0]!.address, space.name);
    expect((await first.page()).list[0]!.why).toBe(space.likely[0]!.why);
    expect((await first.give({ what: 'decline' })).declined).toBe(true);
    const second = await deskOf(space.likely[1]!.address, space.name);
    await expect(first.give({ what: 'own' })).rejects.toThrow('over');
    await second.give({ what: 'own' });
    expect(await second.effect()).toContain('You own it now');
    const owner = space.likely[1]!.key.split(':').at(-1)!;
    expect((await spaceTruth(space.key)).owners?.join()).toContain(owner);
    await scene.survey('incremental');
    expect((await list('of=ownerless')).rows.map((r) => r.key)).not.toContain(space.key);
    // the certificate says all of this, and does not hold where a word of it is another
    const jws = await (
      await scene.raw('GET', `/api/rounds/certificate?id=${round.id}`, { role: 'auditor' })
    ).text();
    const { thumbprint } = await scene.api<{ thumbprint: string }>('GET', '/api/evidence/key');
    expect(await checkEvidence(jws, thumbprint)).toMatchObject({
      holds: true,
      round: 'Who owns it?',
      spaces: 1,
      answers: 1,
    });
    const [head, body, signature] = jws.split('.');
    const text = Buffer.from(body!, 'base64url').toString('utf8');
    const forged = Buffer.from(text.replace('"own"', '"decline"')).toString('base64url');
    expect(await checkEvidence([head, forged, signature].join('.'), thumbprint)).toMatchObject({
      holds: false,
    });
  });
});

describe('charters', () => {
  it('set a space by its owner’s answer, tell of what differs later, and take it back', async () => {
    const space = 'Fleet manuals';
    const key = await keyOf(space);
    const round = await begin({ name: 'What is it for?', kind: 'charter', where: 'true', spaces: [key] });
    const desk = await deskOf(round.owners[0]!.address, space);
    expect((await desk.page()).charters!.sensitivities.map((s) => s.id)).toContain('internal');
    await expect(desk.give({ what: 'charter' })).rejects.toThrow('422');
    await desk.give({ what: 'charter', charter: { purpose: 'reference', sensitivity: 'internal' } });
    expect(await desk.effect()).toContain('as what it is for wants them');
    expect(await spaceTruth(key)).toMatchObject({ externalSharing: 'existing-guests' });
    const [row] = (await list(`of=charters&text=${encodeURIComponent(space)}`)).rows;
    expect(row!.charter).toMatchObject({ purpose: 'reference', sensitivity: 'internal' });
    expect(row!.limit).toBe(365);

    // a rule finds what somebody changes since
    await scene.api('POST', '/api/policies', {
      policy: {
        format: 'gate-lantern-policy',
        version: 1,
        name: 'As the charter says',
        rules: [
          {
            id: 'r1',
            name: 'Set otherwise',
            subject: 'space',
            atRest: true,
            if: 'differs.size() > 0',
            mode: 'enforce',
            severity: 'medium',
            responses: [{ do: 'finding' }],
          },
        ],
      },
      note: 'new',
    });
    await scene.setTruth('spaces', { ...(await spaceTruth(key)), externalSharing: 'anyone' });
    await scene.survey('incremental');
    const differing = await list('of=charters&show=differs');
    expect(differing.rows.map((r) => [r.name, r.differs.map((d) => d.setting)])).toEqual([
      [space, ['externalSharing']],
    ]);
    await until('the finding', async () => {
      const { rows } = await scene.api<{ rows: { name: string }[] }>(
        'GET',
        '/api/policies/hits?state=now&limit=50',
      );
      return rows.some((r) => r.name === space) ? true : undefined;
    });
    const { plan } = await act({ act: 'set-so', spaces: [key] });
    await apply(plan!);
    expect(await spaceTruth(key)).toMatchObject({ externalSharing: 'existing-guests' });
    await scene.survey('incremental');
    expect((await list('of=charters&show=differs')).total).toBe(0);
    const book = await scene.api<CharterBookDto>('GET', '/api/charters');
    expect(book).toMatchObject({ chartered: 1, differs: 0 });
    // what a space has is not taken away
    const body = { of: 'sensitivity', id: 'internal' };
    expect((await scene.raw('DELETE', '/api/charters', { role: 'steward', body })).status).toBe(409);
  });

  it('are given by a rule, and asked for by one, once each', async () => {
    const rule = (id: string, condition: string, response: object) => ({
      id,
      name: id,
      subject: 'space',
      atRest: true,
      if: condition,
      mode: 'enforce',
      severity: 'low',
      responses: [response],
    });
    const before = (await scene.api<RoundRow[]>('GET', '/api/rounds')).length;
    const { id } = await scene.api<{ id: number }>('POST', '/api/policies', {
      policy: {
        format: 'gate-lantern-policy',
        version: 1,
        name: 'What spaces are for',
        rules: [
          rule('given', 'kind == "channel" && sensitivity == ""', {
            do: 'charter',
            purpose: 'team',
            sensitivity: 'open',
          }),
          rule('asked', 'kind == "team" && sensitivity == ""', { do: 'ask', about: 'charter' }),
        ],
      },
      note: 'new',
    });
    const channels = await until('the charters', async () => {
      const { rows } = await list('of=charters&kind=channel');
      return rows.length && rows.every((r) => r.charter) ? rows : undefined;
    });
    expect(channels[0]!.chartered).toMatchObject({ how: 'rule' });
    const rounds = await until('the round', async () => {
      const all = await scene.api<RoundRow[]>('GET', '/api/rounds');
      return all.length > before ? all : undefined;
    });
    expect(rounds[0]).toMatchObject({ round: { kind: 'charter' }, madeBy: 'steward@tarntide.example' });
    const teams = (await list('of=charters&kind=team')).rows;
    expect(rounds[0]!.spaces).toBe(teams.filter((t) => !t.charter).length);
    // judged again, nobody is asked again
    await scene.api('POST', `/api/policies/${id}/run`).catch(() => undefined);
    await scene.survey('incremental');
    await scene.survey('full');
    expect(await scene.api<RoundRow[]>('GET', '/api/rounds')).toHaveLength(before + 1);
  });
});

describe('the views', () => {
  it('ask owners about chosen spaces, show what happened in one, and keep purposes and sensitivities', async () => {
    const browser = await openBrowser();
    try {
      const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
      context.setDefaultTimeout(60_000);
      const view = await livePage(context);
      await openAsSteward(view, scene.base, '/review/dormant');
      const row = view.getByRole('row', { name: /Pier works Kerrera/ });
      await row.waitFor();
      await accessible(view, 'dormant');
      await row.click();
      const dossier = view.getByRole('complementary', { name: 'Dossier' });
      await dossier.getByText(/^Nothing for/).waitFor();
      await dossier.getByText('Files changed').waitFor();
      await accessible(view, 'a space');
      await dossier.getByRole('button', { name: 'Close the dossier' }).click();
      await row.getByRole('checkbox').check();
      await view.getByRole('button', { name: 'Ask the owners …' }).click();
      const dialog = view.getByRole('dialog', { name: 'New round' });
      await dialog
        .getByText('1 space that you have chosen')
        .or(dialog.getByText('that you have chosen'))
        .first()
        .waitFor();
      await dialog.getByRole('button', { name: /^Ask \d/ }).click();
      await view.waitForURL('**/review/rounds?round=*');

      await view.goto(`${scene.base}/review/ownerless`);
      await view.getByRole('heading', { name: /without an active owner/ }).waitFor();
      await accessible(view, 'ownerless');

      await view.goto(`${scene.base}/review/charters`);
      await view.getByRole('heading', { name: /have a charter/ }).waitFor();
      await accessible(view, 'charters');
      await view.getByRole('button', { name: 'Purposes and sensitivities' }).click();
      await view.getByRole('button', { name: 'New purpose …' }).click();
      const purpose = view.getByRole('dialog', { name: 'New purpose' });
      await purpose.getByLabel('Name').fill('Incident');
      await purpose.getByLabel('What it means, for owners').fill('<b>Over in days</b>');
      await purpose.getByLabel('Dormant after so many days without activity').fill('14');
      await accessible(view, 'a purpose');
      await purpose.getByRole('button', { name: 'Save' }).click();
      await view.getByText('<b>Over in days</b>').waitFor();
      await accessible(view, 'purposes and sensitivities');
      await view.getByRole('button', { name: 'Change Confidential' }).click();
      const sensitivity = view.getByRole('dialog', { name: 'Change “Confidential”' });
      await sensitivity.getByLabel('Active owners at least').fill('3');
      await sensitivity.getByRole('button', { name: 'Save' }).click();
      await view.getByText('At least 3 owners', { exact: false }).waitFor();
      await view.getByRole('button', { name: 'Remove Incident' }).click();
      await view.getByText('<b>Over in days</b>').waitFor({ state: 'detached' });
      if (process.env.GATE_LANTERN_PICTURES)
        for (const name of ['dormant', 'charters']) {
          await view.goto(`${scene.base}/review/${name}`);
          await view.getByRole('row').nth(3).waitFor();
          await view.screenshot({ path: `${process.env.GATE_LANTERN_PICTURES}/${name}.png` });
        }
    } finally {
      await browser.close();
    }
  });
});
