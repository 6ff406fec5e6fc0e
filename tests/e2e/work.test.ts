/** Surveys and plans over a network that fails, and the application killed in the middle. */
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { Scene, until, type SurveyRow } from './harness.ts';

const scene = new Scene();
beforeAll(() => scene.up());
afterAll(() => scene.down());
beforeEach(() => scene.faults([]));

interface Plan {
  id: number;
  state: string;
  troubled: number;
  verified: number;
  preview: { members: number; guests: number; outsiders: number; people: { id: string; loses: number }[] };
  list: { state: string; note: string | null; change: { kind: 'grant' | 'link'; id: string } }[];
}
interface Finding {
  id: number;
  item: string;
  state: string;
  points: number;
  summary: { name: string };
}
interface Detail {
  row: Finding;
  dossier: { withdrawable: { kind: 'grant' | 'link'; source: string; id: string }[] };
}

const findings = async (state = 'open') =>
  (await scene.api<{ rows: Finding[] }>('GET', `/api/findings?state=${state}`)).rows;
const named = async (name: string) => (await findings('all')).find((f) => f.summary.name === name)!;
const counts = (s: SurveyRow) => Object.fromEntries(s.steps.map((x) => [x.name, x.done]));
const ended = (id: number) =>
  until(`plan ${id}`, async () => {
    const p = await scene.api<Plan>('GET', `/api/plans/${id}`);
    return p.state === 'applied' || p.state === 'undone' ? p : undefined;
  });
async function planFor(...names: string[]): Promise<number> {
  for (const name of names) {
    const { dossier } = await scene.api<Detail>('GET', `/api/findings/${(await named(name)).id}`);
    await scene.api('POST', '/api/tray', {
      changes: dossier.withdrawable.map(({ kind, source, id }) => ({ kind, source, id })),
    });
  }
  return (await scene.api<{ id: number }>('POST', '/api/plans', { name: names.join(', '), reason: 'test' }))
    .id;
}
const chainHolds = async () =>
  expect(await scene.api('GET', '/api/ledger/check')).toMatchObject({ holds: true });

describe('a survey', () => {
  let clean: Record<string, number>;
  let found: string[];

  it('of what changed is refused before everything was surveyed once', async () => {
    const body = { kind: 'incremental' };
    expect((await scene.raw('POST', '/api/surveys', { role: 'steward', body })).status).toBe(409);
  });

  it('reads everything, finds the planted flaws, and is on the ledger', async () => {
    const survey = await scene.survey();
    expect(survey).toMatchObject({ state: 'done', failures: 0, altered: 0, removed: 0 });
    clean = counts(survey);
    expect(clean).toMatchObject({ people: 592, groups: 60, spaces: 514 });
    found = (await findings()).map((f) => f.item).sort();
    expect(found).toHaveLength(25);
    await chainHolds();
  });

  it('comes to the same through throttling, errors, broken and silent connections, late answers and repeated pages', async () => {
    await scene.faults([
      { kind: 'time-out', path: '/scim/v2/Groups', times: 1 },
      { kind: 'throttle', amount: 0, path: '/items', every: 9 },
      { kind: 'error', path: '/drives', every: 11 },
      { kind: 'reset', path: '/content', every: 97 },
      { kind: 'repeat-page', path: '/items?', every: 3 },
      { kind: 'repeat-page', path: '/grants', times: 1 },
      { kind: 'latency', amount: 20, path: '/scim', every: 2 },
    ]);
    const survey = await scene.survey();
    expect(survey).toMatchObject({ state: 'done', failures: 0 });
    expect(counts(survey)).toEqual(clean);
    expect((await findings()).map((f) => f.item).sort()).toEqual(found);
  });

  it('leaves out what cannot be read, says which, and keeps what was known of it', async () => {
    const dead = found[0]!;
    // what has not changed is not read again
    await scene.setTruth('items', {
      ...(await scene.truth('items', dead)),
      modifiedAt: '2026-11-01T00:00:00Z',
    });
    await scene.faults([{ kind: 'dead', path: `/items/${dead}/content` }]);
    const survey = await scene.survey();
    expect(survey).toMatchObject({ state: 'done', failures: 1 });
    expect(await scene.api('GET', `/api/survey-failures?id=${survey.id}`)).toEqual([
      { step: 'content', object: dead, reason: expect.stringContaining('6 tries') as string },
    ]);
    expect((await findings()).map((f) => f.item).sort()).toEqual(found);
  });

  it('goes on without a source that fails, and keeps what was known of it', async () => {
    type Sources = { id: string; counts: Record<string, number>; trouble: string | null; paused: boolean }[];
    const sources = async () =>
      Object.fromEntries((await scene.api<Sources>('GET', '/api/sources')).map((s) => [s.id, s]));
    const before = await sources();
    const [link] = (await scene.truth<{ id: string }[]>('links')).slice(0, 1);
    // drives and sites break off at their links; channels have none
    await scene.faults([{ kind: 'dead', path: '/links?' }]);
    expect(await scene.survey()).toMatchObject({ state: 'done', removed: 0 });
    const after = await sources();
    for (const id of ['drives', 'sites']) {
      expect(after[id]!.trouble).toContain('The survey went on without this source');
      expect(after[id]!.counts).toEqual(before[id]!.counts);
    }
    expect(after.channels!.trouble).toBeNull();
    expect(await scene.truth('links', link!.id)).not.toBeNull();
    await scene.faults([]);

    // one that was never there ends no survey either, and can be edited, paused and removed
    const bad = { id: 'elsewhere', kind: 'drives', name: 'Elsewhere', url: 'http://127.0.0.1:9', token: 't' };
    await scene.api('POST', '/api/sources', bad);
    expect((await scene.raw('POST', '/api/sources', { role: 'steward', body: bad })).status).toBe(409);
    expect(await scene.survey('incremental')).toMatchObject({ state: 'done' });
    expect((await sources()).elsewhere!.trouble).toContain('Gave up');
    const edit = (body: object) => scene.raw('PUT', '/api/sources', { role: 'steward', body });
    // a token goes nowhere but where it was given for
    expect((await edit({ id: 'elsewhere', url: 'http://127.0.0.1:10' })).status).toBe(422);
    expect((await edit({ id: 'elsewhere', url: 'http://u:p@127.0.0.1:10', token: 'x' })).status).toBe(422);
    expect((await edit({ id: 'elsewhere', name: 'Else', paused: true })).status).toBe(200);
    expect(await scene.survey('incremental')).toMatchObject({ state: 'done', failures: 0 });
    expect((await sources()).elsewhere).toMatchObject({ name: 'Else', paused: true, trouble: null });
    const remove = (id: string) => scene.raw('DELETE', '/api/sources', { role: 'steward', body: { id } });
    expect((await remove('elsewhere')).status).toBe(200);
    expect((await remove('elsewhere')).status).toBe(404);

    // what a removed source held ends with the next survey, and comes back with the source
    const { url, name } = (
      await scene.api<{ id: string; url: string; name: string }[]>('GET', '/api/sources')
    ).find((s) => s.id === 'channels')!;
    expect((await remove('channels')).status).toBe(200);
    const without = await scene.survey('incremental');
    expect(without.removed).toBeGreaterThan(
      Object.values(before.channels!.counts).reduce((a, b) => a + b, 0) - 1,
    );
    await scene.api('POST', '/api/sources', { id: 'channels', kind: 'channels', name, url, token: 'tok' });
    expect(await scene.survey()).toMatchObject({ state: 'done' });
    expect((await sources()).channels!.counts).toEqual(before.channels!.counts);
  });

  it('that fails half-way, is cancelled, or is killed leaves the last good one in force', async () => {
    const before = await scene.api<{ survey: { id: number } }>('GET', '/api/course');
    // every workspace is silent
    await scene.faults([{ kind: 'dead', path: '/about' }]);
    expect(await scene.survey()).toMatchObject({
      state: 'failed',
      reason: expect.stringContaining('Gave up') as string,
    });

    await scene.faults([{ kind: 'latency', amount: 300, path: '/content' }]);
    const { id } = await scene.api<{ id: number }>('POST', '/api/surveys');
    expect((await scene.raw('POST', '/api/surveys', { role: 'steward' })).status).toBe(409);
    await until(
      'content',
      async () =>
        (await scene.api<SurveyRow[]>('GET', '/api/surveys'))[0]!.steps.find((s) => s.name === 'content')!
          .done > 0,
    );
    await scene.api('DELETE', '/api/surveys', { id });
    expect(await scene.surveyEnd(id)).toMatchObject({ state: 'cancelled' });

    const { id: killed } = await scene.api<{ id: number }>('POST', '/api/surveys');
    await until(
      'content',
      async () =>
        (await scene.api<SurveyRow[]>('GET', '/api/surveys'))[0]!.steps.find((s) => s.name === 'content')!
          .done > 0,
    );
    await scene.kill();
    await scene.startApp();
    expect((await scene.api<SurveyRow[]>('GET', '/api/surveys')).find((s) => s.id === killed)).toMatchObject({
      state: 'interrupted',
    });

    expect((await scene.api<{ survey: { id: number } }>('GET', '/api/course')).survey.id).toBe(
      before.survey.id,
    );
    expect((await findings()).map((f) => f.item).sort()).toEqual(found);
    await chainHolds();
  });

  it('says while it reads the last survey after a start, and answers after that', async () => {
    const cookie = await scene.cookieOf('steward');
    const ask = (path: string) => scene.raw('GET', path, { headers: { cookie } });
    await scene.kill();
    const read = await scene.startHeld();
    const early = await ask('/api/watch');
    expect([early.status, early.headers.get('retry-after')]).toEqual([503, '2']);
    expect(await early.json()).toMatchObject({ title: 'reading' });
    expect(await (await ask('/api/reading')).json()).toMatchObject({ rows: expect.any(Number) as number });
    expect(await (await ask('/exposure/watch')).text()).toContain('Reading the last survey');
    expect((await scene.raw('GET', '/api/reading')).status).toBe(401);
    read();
    await until('it to be read', async () => (await (await ask('/api/reading')).json()) === null);
    expect((await ask('/api/watch')).status).toBe(200);
    expect(await (await ask('/exposure/watch')).text()).not.toContain('Reading the last survey');
  });

  it('brings hostile names through as text, and keeps raw values out of everything it answers', async () => {
    const item = (await findings())[0]!;
    const row = await scene.truth<{ name: string }>('items', item.item);
    const name = '<img src=x onerror=alert(1)>\u202e =HYPERLINK("http://x.test") \0.txt';
    await scene.setTruth('items', { ...row, name });
    await scene.survey();
    const detail = await scene.raw('GET', `/api/findings/${item.id}`, { role: 'steward' });
    const text = await detail.text();
    expect((JSON.parse(text) as Detail).row.summary.name).toBe(name.replace('\0', '\ufffd'));
    // a secret in a name is in none of the answers, nor found by it; the rest of the name is as it was
    const iban = 'DE89 3704 0044 0532 0130 00';
    await scene.setTruth('items', { ...row, name: `IBAN ${iban} of the crew.txt` });
    await scene.survey();
    const masked = (await scene.api<Detail>('GET', `/api/findings/${item.id}`)).row.summary.name;
    expect(masked).toMatch(/^IBAN DE.* of the crew\.txt$/);
    const secret = iban.replaceAll(' ', '');
    for (const path of [
      `/api/findings/${item.id}`,
      '/api/findings?state=all&limit=500',
      '/api/holdings?list=true&limit=500',
      '/api/export?table=findings&format=csv&state=all',
      '/api/export?table=holdings&format=jsonl&list=true',
      `/api/holdings/node?node=${encodeURIComponent(`item:${'drives'}:${item.item}`)}`,
      '/api/search?text=IBAN',
      '/api/ledger?limit=500',
    ]) {
      const answer = await scene.raw('GET', path, { role: 'auditor' });
      expect(answer.status, path).toBeLessThan(500);
      expect((await answer.text()).replace(/[\s\u00A0-]/g, ''), path).not.toContain(secret);
    }
    expect(await scene.api('GET', `/api/search?text=${encodeURIComponent(iban)}`)).toEqual([]);
    // nor is what somebody searched for written down
    await scene.raw('GET', `/api/export?table=findings&format=csv&text=${encodeURIComponent(iban)}`, {
      role: 'auditor',
    });
    const ledger = await (await scene.raw('GET', '/api/ledger/export', { role: 'auditor' })).text();
    expect(ledger).toContain('table.exported');
    expect(ledger.replace(/[\s\u00A0-]/g, '')).not.toContain(secret);
    const view = { name: 'Mine', path: '/exposure/findings', search: `?text=${iban}`, shared: true };
    expect((await scene.raw('POST', '/api/views', { role: 'auditor', body: view })).status).toBe(422);
    await scene.setTruth('items', row);
    await scene.survey();
    for (const f of await findings())
      expect(await (await scene.raw('GET', `/api/findings/${f.id}`, { role: 'steward' })).text()).not.toMatch(
        /\d{4}[ -]?\d{4}[ -]?\d{4}[ -]?\d{4}|[A-Z]{2}\d{2}[A-Z0-9]{11,30}|BEGIN PRIVATE KEY-----.*MII/,
      );
  });
});

describe('a plan', () => {
  it('withdraws what was previewed and nothing else, verifies it at the workspace, and undoes it exactly', async () => {
    const before = { grants: await scene.truth('grants'), links: await scene.truth('links') };
    const id = await planFor('Dispute evidence 1.docx', 'Crew bank accounts 2026.xlsx');
    const draft = await scene.api<Plan>('GET', `/api/plans/${id}`);
    expect(draft).toMatchObject({ state: 'draft', preview: { members: 0, guests: 0, outsiders: 3 } });
    expect(draft.preview.people.map((p) => p.id).sort()).toEqual([
      'jo@quickclaims.test',
      'kim@quickclaims.test',
      'temp.payroll@payhelp.test',
    ]);
    expect(await scene.truth('grants')).toEqual(before.grants);

    await scene.api('POST', `/api/plans/${id}`, { act: 'apply' });
    const applied = await ended(id);
    expect(applied.list.map((c) => c.state)).toEqual(['verified', 'verified']);
    for (const c of applied.list) expect(await scene.truth(`${c.change.kind}s`, c.change.id)).toBeNull();
    expect((await named('Dispute evidence 1.docx')).state).toBe('fixed');
    expect((await named('Dispute evidence 3.docx')).state).toBe('fixed');
    expect(
      (await scene.raw('POST', `/api/plans/${id}`, { role: 'steward', body: { act: 'apply' } })).status,
    ).toBe(409);

    await scene.undo(id);
    expect((await ended(id)).list.map((c) => c.state)).toEqual(['undone', 'undone']);
    const byId = (rows: { id: string }[]) => [...rows].sort((a, b) => (a.id < b.id ? -1 : 1));
    expect(byId(await scene.truth('grants'))).toEqual(byId(before.grants as never));
    expect(byId(await scene.truth('links'))).toEqual(byId(before.links as never));
    expect((await named('Dispute evidence 1.docx')).state).toBe('reopened');
    await chainHolds();
  });

  it('goes through lost answers, throttling and silence without doing anything twice', async () => {
    await scene.faults([
      { kind: 'reset-after', method: 'DELETE', times: 2 },
      { kind: 'throttle', amount: 0, method: 'DELETE', every: 2 },
      { kind: 'error', path: '/grants/', every: 3 },
      { kind: 'reset-after', method: 'POST', times: 1 },
    ]);
    const id = await planFor('Refunds by card.csv', 'House loan.odt', 'Cancelled sailing refunds.xlsx');
    await scene.api('POST', `/api/plans/${id}`, { act: 'apply' });
    expect((await ended(id)).list.map((c) => c.state)).toEqual(['verified', 'verified', 'verified']);
    await scene.undo(id);
    const undone = await ended(id);
    expect(undone.list.map((c) => c.state)).toEqual(['undone', 'undone', 'undone']);
    for (const c of undone.list) expect(await scene.truth(`${c.change.kind}s`, c.change.id)).not.toBeNull();
  });

  it('leaves alone what is not as the survey saw it, says what failed for good, and tries that again', async () => {
    const id = await planFor(
      'Deposit account for the new pier.pptx',
      'Refunds by card.csv',
      'House loan.odt',
      'Cancelled sailing refunds.xlsx',
    );
    const { list } = await scene.api<Plan>('GET', `/api/plans/${id}`);
    const [changed, gone, failing] = list.map((c) => c.change);
    const truth = await scene.truth<object>(`${changed!.kind}s`, changed!.id);
    await scene.setTruth(`${changed!.kind}s`, { ...truth, role: 'editor' });
    const goneRow = await scene.truth<object>(`${gone!.kind}s`, gone!.id);
    await scene.faults([{ kind: 'dead', method: 'DELETE', path: failing!.id }]);
    await scene.removeTruth(`${gone!.kind}s`, gone!.id);
    await scene.api('POST', `/api/plans/${id}`, { act: 'apply' });
    const first = await ended(id);
    expect(first.list[0]).toMatchObject({
      state: 'unexpected',
      note: expect.stringContaining('role') as string,
    });
    expect(first.list[1]).toMatchObject({ state: 'already-gone' });
    // it was sent and no good answer came: whether it took effect is open until it is tried again
    expect(first.list[2]).toMatchObject({
      state: 'sending',
      note: expect.stringContaining('try again') as string,
    });
    expect(first.troubled).toBe(2);
    await scene.faults([]);
    await scene.api('POST', `/api/plans/${id}`, { act: 'retry' });
    const second = await ended(id);
    expect(second.list[2]!.state).toBe('verified');
    expect(second.list[0]!.state).toBe('unexpected');

    await scene.undo(id);
    await ended(id);
    expect(await scene.truth(`${gone!.kind}s`, gone!.id)).toBeNull();
    await scene.setTruth(`${gone!.kind}s`, goneRow);
    await scene.setTruth(`${changed!.kind}s`, truth);
    await scene.survey();
  });

  it('asks again where the survey has moved on since its preview, and what it would do is another', async () => {
    const id = await planFor('House loan.odt', 'Refunds by card.csv');
    const { kind, id: object } = (await scene.api<Plan>('GET', `/api/plans/${id}`)).list[0]!.change;
    const row = await scene.truth<object>(`${kind}s`, object);
    await scene.removeTruth(`${kind}s`, object);
    await scene.survey();
    const refused = await scene.raw('POST', `/api/plans/${id}`, { role: 'steward', body: { act: 'apply' } });
    expect(refused.status).toBe(409);
    expect(await refused.text()).toContain('not there any more');
    await scene.api('POST', `/api/plans/${id}`, { act: 'renew' });
    await scene.setTruth(`${kind}s`, row);
    await scene.survey();
    await scene.api('POST', `/api/plans/${id}`, { act: 'discard' });
  });

  it('killed at any moment, ends after the restart in a state that is right and said', async () => {
    const names = [
      'Refunds by card.csv',
      'House loan.odt',
      'Cancelled sailing refunds.xlsx',
      'Crew bank accounts 2026.xlsx',
      'Dispute evidence 1.docx',
    ];
    for (const [round, delay] of [15, 170, 400].entries()) {
      const id = await planFor(...names);
      const entries = (await scene.api<Plan>('GET', `/api/plans/${id}`)).list.map((c) => c.change);
      // slow enough that the kill falls between the steps; one answer in four is lost after the deed
      await scene.faults([
        { kind: 'latency', amount: 25, path: '/drives' },
        { kind: 'reset-after', method: 'DELETE', every: 4 },
      ]);
      await scene.api('POST', `/api/plans/${id}`, { act: 'apply' });
      await new Promise((r) => setTimeout(r, delay));
      await scene.kill();
      await scene.startApp();
      const applied = await ended(id);
      expect(
        applied.list.map((c) => c.state),
        `round ${round}`,
      ).toEqual(entries.map(() => 'verified'));
      for (const e of entries) expect(await scene.truth(`${e.kind}s`, e.id)).toBeNull();

      await scene.undo(id);
      await new Promise((r) => setTimeout(r, delay));
      await scene.kill();
      await scene.startApp();
      const undone = await ended(id);
      expect(
        undone.list.map((c) => c.state),
        `round ${round}`,
      ).toEqual(entries.map(() => 'undone'));
      for (const e of entries) expect(await scene.truth(`${e.kind}s`, e.id)).not.toBeNull();
      await chainHolds();
    }
  });

  it('leaves a ledger that gl verifies without the database, and that shows alteration', async () => {
    const text = await (await scene.raw('GET', '/api/ledger/export', { role: 'auditor' })).text();
    const file = join(scene.home, 'ledger.jsonl');
    const verify = () =>
      spawnSync(process.execPath, ['dist/app/gl.mjs', 'ledger', 'verify', file], {
        encoding: 'utf8',
      });
    writeFileSync(file, text);
    expect(verify()).toMatchObject({ status: 0, stdout: expect.stringContaining('"holds":true') as string });
    // its end is known by heads that were kept apart
    const heads = join(scene.home, 'heads.jws');
    await scene.api('POST', '/api/ledger/heads', {}, 'auditor');
    writeFileSync(heads, await (await scene.raw('GET', '/api/ledger/heads', { role: 'auditor' })).text());
    const { thumbprint } = await scene.api<{ thumbprint: string }>('GET', '/api/evidence/key');
    const against = (...more: string[]) =>
      spawnSync(process.execPath, ['dist/app/gl.mjs', 'ledger', 'verify', file, ...more], {
        encoding: 'utf8',
      });
    const whole = await (await scene.raw('GET', '/api/ledger/export', { role: 'auditor' })).text();
    writeFileSync(file, whole);
    expect(against('--heads', heads, '--thumbprint', thumbprint)).toMatchObject({ status: 0 });
    writeFileSync(file, whole.split('\n').slice(0, -10).join('\n'));
    expect(verify().status).toBe(0);
    expect(against('--heads', heads, '--thumbprint', thumbprint)).toMatchObject({ status: 1 });
    expect(against('--heads', heads, '--thumbprint', 'another')).toMatchObject({ status: 2 });
    expect(against('--count', '3').status).toBe(1);
    expect(against('--head', '0'.repeat(64)).status).toBe(1);
    writeFileSync(file, text.replace('"what":"plan.made"', '"what":"plan.mode"'));
    expect(verify()).toMatchObject({ status: 1, stdout: expect.stringContaining('"holds":false') as string });
    writeFileSync(file, `${text}not an entry\n`);
    expect(verify()).toMatchObject({ status: 2, stderr: expect.stringMatching(/line \d+/) as string });
  });
});
