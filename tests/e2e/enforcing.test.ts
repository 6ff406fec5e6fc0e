/** Rules that respond: what the workspaces have afterwards, who decides, what stops them, and what is never done twice. */
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { GrantRow, ItemRow, LinkRow, SpaceRow } from '../../src/core/model.ts';
import type { Rule } from '../../src/core/guard/schema.ts';
import type { Foretelling, HitRow, HitsPage, PolicyPage } from '../../src/dto/guard.ts';
import type { FindingGroup, FindingRow, FindingsPage } from '../../src/dto/exposure.ts';
import type { PlanDetail, PlanRow } from '../../src/dto/remedy.ts';
import { Scene, until } from './harness.ts';

const scene = new Scene();
beforeAll(async () => {
  await scene.upSurveyed();
});
afterAll(() => scene.down());
beforeEach(() => scene.faults([]));

const rule = (r: Partial<Rule> & Pick<Rule, 'if' | 'subject'>): Rule => ({
  id: 'r1',
  name: `Rule ${r.id ?? 'r1'}`,
  atRest: true,
  mode: 'enforce',
  severity: 'high',
  responses: [],
  ...r,
});
/** Links for anyone that nobody has to approve closing. */
const LIGHT = 'audience == "anyone" && weight < 4 && could == public';
const WIDE_OPEN = { changes: 5000, people: 100_000, share: 1 };
const make = async (rules: Rule[], more: object = {}) => {
  const { id } = await scene.api<{ id: number }>('POST', '/api/policies', {
    policy: {
      format: 'gate-lantern-policy',
      version: 1,
      name: 'Held to',
      rules,
      breaker: WIDE_OPEN,
      ...more,
    },
    note: 'tried before',
  });
  await judged(id);
  return id;
};
const one = (id: number) => scene.api<PolicyPage>('GET', `/api/policies/${id}`);
const hits = async (id: number, state = 'all'): Promise<HitRow[]> =>
  (await scene.api<HitsPage>('GET', `/api/policies/hits?limit=500&policy=${id}&state=${state}`)).rows;
const judged = (id: number, runs = 0) =>
  until('the policy to be judged', async () => (await one(id)).runs.length > runs, 60);
const plans = async (id: number) =>
  (await scene.api<{ rows: PlanRow[] }>('GET', '/api/plans')).rows.filter((p) => p.policy === id);
/** Runs it once more, and resolves when that was judged. */
const again = async (id: number) => {
  const { length } = (await one(id)).runs;
  await scene.api('POST', `/api/policies/${id}`, { act: 'run' });
  await judged(id, length);
};
/** Resolves when every hit of a policy stands as wanted. */
const all = async (id: number, state: string) => {
  let found: HitRow[] = [];
  const so = async () => {
    found = await hits(id);
    return found.length > 0 && found.every((h) => h.state === state);
  };
  await until(`all hits to be ${state}`, so, 60).catch(async (e: Error) => {
    const states = found.map((h) => [h.rule, h.key, h.state, h.note, JSON.stringify(h.parts)].join(' '));
    const made = await Promise.all(
      (await plans(id)).map((p) => scene.api<PlanDetail>('GET', `/api/plans/${p.id}`)),
    );
    const stood = made.map((p) => [p.id, p.state, p.note, p.approval?.wants].join(' '));
    throw new Error(`${e.message} They are: ${states.join('; ')}; plans: ${stood.join('; ')}`);
  });
};
/** A second steward agrees, and it begins. */
const agree = async (plan: PlanRow) => {
  const body = { act: 'decide', approved: true, said: 'yes', survey: plan.survey };
  await scene.api('POST', `/api/plans/${plan.id}`, body, 'deputy');
  await scene.api('POST', `/api/plans/${plan.id}`, { act: 'apply' });
};
/** Resolves with the newest plan of a policy when it is at its end. */
const ended = (id: number, state = 'applied') =>
  until(
    `the plan to be ${state}`,
    async () => {
      const [plan] = (await plans(id)).sort((a, b) => b.id - a.id);
      return plan?.state === state ? plan : undefined;
    },
    90,
  );
const remove = (id: number) => scene.api('DELETE', `/api/policies/${id}`, {});
const links = () => scene.truth<LinkRow[]>('links');
const idOf = (key: string): string => key.split(':').slice(2).join(':');

describe('rules that open findings', () => {
  const findings = (query = '') =>
    scene.api<FindingsPage>('GET', `/api/findings?limit=500&kind=breach&state=all${query}`);
  const opens = (r: Partial<Rule> & Pick<Rule, 'if' | 'subject'>) =>
    rule({ ...r, responses: [{ do: 'finding' }] });

  it('list what they hit beside exposures, once they enforce; fixed and reopened as the workspaces have it', async () => {
    const of = LIGHT;
    const id = await make([
      opens({ subject: 'link', if: of, mode: 'observe' }),
      opens({ id: 'r2', name: 'Guests', subject: 'identity', if: 'kind == "guest"', severity: 'critical' }),
      opens({
        id: 'r3',
        name: 'Spaces',
        subject: 'space',
        if: 'activeOwners < 2 && weight >= 3',
        severity: 'low',
      }),
    ]);
    const found = async (ruleId: string) =>
      (await findings()).rows.filter(
        (f) => f.summary.breach!.policy === id && f.summary.breach!.rule === ruleId,
      );
    expect(await found('r1')).toEqual([]);
    const hit = await hits(id);
    const keys = (ruleId: string) =>
      hit
        .filter((h) => h.rule === ruleId)
        .map((h) => h.key)
        .sort();
    for (const r of ['r2', 'r3']) {
      const mine = await found(r);
      expect(mine.map((f) => f.summary.breach!.key).sort()).toEqual(keys(r));
      expect(mine.every((f) => f.state === 'open' && f.points === 0)).toBe(true);
    }
    // by severity, beside what surveys found
    const both = (await scene.api<FindingsPage>('GET', '/api/findings?limit=500')).rows;
    const severities = both.map((f) => ['low', 'medium', 'high', 'critical'].indexOf(f.severity));
    expect(severities).toEqual([...severities].sort((a, b) => b - a));
    expect(new Set(both.map((f) => f.kind))).toEqual(new Set(['exposure', 'breach']));
    const { groups } = await scene.api<{ groups: FindingGroup[] }>(
      'GET',
      `/api/findings/groups?by=rule&kind=breach&where=${encodeURIComponent('policy == "Held to"')}`,
    );
    expect(groups.map((g) => [g.value, g.findings]).sort()).toEqual([
      ['Guests', keys('r2').length],
      ['Spaces', keys('r3').length],
    ]);

    // it begins to enforce: links become findings of what they are on
    const { policy, version } = await one(id);
    const on = { ...policy, rules: policy.rules.map((r) => ({ ...r, mode: 'enforce' })) };
    const { length } = (await one(id)).runs;
    await scene.api('PUT', `/api/policies/${id}`, { policy: on, version, note: 'looked at' });
    await judged(id, length);
    const links1 = await found('r1');
    expect(links1.map((f) => f.summary.breach!.key).sort()).toEqual(keys('r1'));
    expect(await plans(id)).toEqual([]);
    const [first] = links1;
    const detail = await scene.api<{ row: FindingRow; dossier: object | null; history: { what: string }[] }>(
      'GET',
      `/api/findings/${first!.id}`,
    );
    expect(detail.row.summary.breach).toMatchObject({ ruleName: 'Rule r1', policyName: 'Held to' });
    expect(detail.history.map((h) => h.what)).toEqual(['opened']);

    // given and accepted like any other
    const decide = (decision: object) =>
      scene.api<{ changed: number }>('POST', '/api/findings/triage', { findings: [first!.id], decision });
    expect(await decide({ act: 'accept', until: '2099-01-01', reason: 'agreed' })).toEqual({ changed: 1 });
    const link = await scene.truth<LinkRow>('links', idOf(first!.summary.breach!.key));
    await scene.setTruth('links', { ...link, audience: 'organisation' });
    await scene.survey('incremental');
    const state = async (f: FindingRow) =>
      (await found(f.summary.breach!.rule)).find((x) => x.id === f.id)?.state;
    await until('it to be fixed', async () => (await state(first!)) === 'fixed', 60);
    await scene.setTruth('links', link);
    await scene.survey('incremental');
    await until('it to come back', async () => (await state(first!)) === 'reopened', 60);

    // what is left out, and what no rule asks any more, is no breach
    await scene.api('POST', '/api/policies/exceptions', {
      policy: id,
      rule: 'r1',
      keys: [first!.summary.breach!.key],
      until: '2099-01-01',
      reason: 'agreed',
    });
    await until('the exception to count', async () => (await state(first!)) === 'fixed', 60);
    await remove(id);
    expect((await findings('&where=state%20!%3D%20%22fixed%22')).rows).toEqual([]);
  });
});

describe('rules that enforce', () => {
  let light: LinkRow[];
  let id: number;
  /** The policy goes, and the links are as they were. */
  const clear = async () => {
    await remove(id);
    for (const l of light) await scene.setTruth('links', l);
    await scene.survey('incremental');
  };

  it('begin with a reason alone, and say before what they would do', async () => {
    const narrow = rule({
      subject: 'link',
      if: LIGHT,
      mode: 'observe',
      responses: [{ do: 'narrow', audience: 'organisation' }],
    });
    id = await make([narrow]);
    light = [];
    const of = new Set((await hits(id)).map((h) => idOf(h.key)));
    for (const l of await links()) if (of.has(l.id)) light.push(l);
    expect(light.length).toBeGreaterThan(1);
    const told = await scene.api<Foretelling>('GET', `/api/policies/foretell?id=${id}&rule=r1`);
    expect(told).toMatchObject({ hits: light.length, ofChanges: light.length, stops: [], cannot: [] });
    // all rules that do not respond yet: here the same one
    expect(await scene.api<Foretelling>('GET', `/api/policies/foretell?id=${id}`)).toEqual(told);
    expect(told.inPilot).toBeLessThanOrEqual(light.length);
    const { policy, version } = await one(id);
    const on = { ...policy, rules: [{ ...narrow, mode: 'enforce' }] };
    const put = (note: string, v = version) =>
      scene.api('PUT', `/api/policies/${id}`, { policy: on, version: v, note });
    await expect(put(' ')).rejects.toThrow(/422 “Rule r1” would begin to respond by itself/);
    expect(await plans(id)).toEqual([]);
    await put('they were looked at');
    await all(id, 'done');
    for (const l of light)
      expect(await scene.truth<LinkRow>('links', l.id)).toMatchObject({
        audience: 'organisation',
        role: l.role,
      });
    expect(await ended(id)).toMatchObject({
      changes: light.length,
      verified: light.length,
      madeBy: 'Gate Lantern',
    });
    // another condition, or another response, is another thing to let
    const wider = { ...on, rules: [{ ...on.rules[0], if: 'audience == "anyone"' }] };
    await expect(
      scene.api('PUT', `/api/policies/${id}`, { policy: wider, version: version + 1, note: '' }),
    ).rejects.toThrow(/422 “Rule r1” would respond otherwise/);
  });

  it('touch nothing else, and do nothing again that is done', async () => {
    await again(id);
    expect(await plans(id)).toHaveLength(1);
    const now = new Map((await links()).map((l) => [l.id, l]));
    expect([...now.values()].filter((l) => l.audience === 'anyone').length).toBeGreaterThan(0);
  });

  it('close again what somebody opens, and leave what a steward undid', async () => {
    const [first, second] = light;
    await scene.setTruth('links', {
      ...(await scene.truth<LinkRow>('links', first!.id)),
      audience: 'anyone',
    });
    await scene.survey('incremental');
    await until('it to be closed again', async () => (await plans(id)).length === 2, 90);
    await all(id, 'done');
    expect(await scene.truth('links', first!.id)).toMatchObject({ audience: 'organisation' });
    const [, made] = (await plans(id)).sort((a, b) => b.id - a.id);
    const { list } = await scene.api<PlanDetail>('GET', `/api/plans/${made!.id}`);
    const step = list.find((c) => c.change.id === second!.id)!;
    await scene.undo(made!.id, [step.id]);
    await until('it to be undone', async () => (await hits(id, 'undone')).length === 1, 90);
    expect(await scene.truth('links', second!.id)).toMatchObject({ audience: 'anyone' });
    await again(id);
    expect(await plans(id)).toHaveLength(2);
    expect((await hits(id, 'undone')).map((h) => idOf(h.key))).toEqual([second!.id]);
  });

  it('do the stricter of two that cannot both be had, and say which rule decided', async () => {
    await clear();
    id = await make([
      rule({ subject: 'link', if: LIGHT, responses: [{ do: 'let-end', days: 30 }] }),
      rule({ subject: 'link', if: LIGHT, id: 'r2', responses: [{ do: 'withdraw' }] }),
    ]);
    await ended(id);
    const rows = await hits(id);
    for (const h of rows.filter((x) => x.rule === 'r2')) expect(h.state).toBe('done');
    for (const h of rows.filter((x) => x.rule === 'r1'))
      expect(h.parts).toEqual([
        { do: 'let-end', how: 'yields', decidedBy: 'r2', why: '“Rule r2” decides: withdraw.' },
      ]);
    const left = new Set((await links()).map((l) => l.id));
    for (const h of rows) expect(left.has(idOf(h.key))).toBe(false);
  });

  it('leave out what is excepted until its day, and take it when the exception ends', async () => {
    await clear();
    id = await make([
      rule({ subject: 'link', if: LIGHT, responses: [{ do: 'let-end', days: 9 }], mode: 'observe' }),
    ]);
    const [kept, ...others] = await hits(id);
    const except = (until: string) =>
      scene.api('POST', '/api/policies/exceptions', {
        policy: id,
        keys: [kept!.key],
        until,
        reason: 'a press pack',
      });
    await expect(except('2020-01-01')).rejects.toThrow(/That day is over/);
    await expect(
      scene.api('POST', '/api/policies/exceptions', {
        policy: id,
        keys: ['link:drives:none'],
        until: '2099-01-01',
        reason: 'x',
      }),
    ).rejects.toThrow(/404/);
    await except(new Date(Date.now() + 86_400_000).toISOString().slice(0, 10));
    await until('it to be excepted', async () => (await hits(id, 'excepted')).length === 1, 60);
    const { policy, version } = await one(id);
    await scene.api('PUT', `/api/policies/${id}`, {
      policy: { ...policy, rules: [{ ...policy.rules[0]!, mode: 'enforce' }] },
      version,
      note: 'now',
    });
    await until('the others to be done', async () => (await hits(id, 'done')).length === others.length, 90);
    expect((await scene.truth<LinkRow>('links', idOf(kept!.key))).expiresAt).toBeUndefined();
    for (const h of others)
      expect(Date.parse((await scene.truth<LinkRow>('links', idOf(h.key))).expiresAt!)).toBeGreaterThan(
        Date.now(),
      );
    const [exception] = (await one(id)).exceptions;
    expect(exception).toMatchObject({ reason: 'a press pack', madeBy: 'steward@tarntide.example' });
    await scene.api('DELETE', '/api/policies/exceptions', { id: exception!.id });
    await all(id, 'done');
  });

  it('are stopped by the breaker before they begin, and by whoever sets the plan aside', async () => {
    await clear();
    id = await make([rule({ subject: 'link', if: LIGHT, responses: [{ do: 'withdraw' }] })], {
      breaker: { changes: 1 },
    });
    await all(id, 'waiting');
    const [plan] = await plans(id);
    expect(plan!.state).toBe('draft');
    const [run] = (await one(id)).runs;
    expect(run!.stopped).toEqual([`${light.length} changes; the limit is 1`]);
    for (const l of light) expect(await scene.truth('links', l.id)).toMatchObject({ audience: 'anyone' });
    await again(id);
    expect(await plans(id)).toHaveLength(1);
    await scene.api('POST', `/api/plans/${plan!.id}`, { act: 'discard' });
    await all(id, 'undone');
    await again(id);
    expect((await plans(id)).map((p) => p.state)).toEqual(['discarded']);
  });

  it('want a second steward where a plan of a steward would, and not the one who let them', async () => {
    await clear();
    const [file] = (await scene.truth<ItemRow[]>('items')).filter((i) => i.kind === 'file');
    id = await make([
      rule({
        subject: 'item',
        if: `name == ${JSON.stringify(file!.name)}`,
        responses: [{ do: 'quarantine' }],
      }),
    ]);
    await all(id, 'waiting');
    const [plan] = await plans(id);
    expect(plan!.state).toBe('asked');
    const decide = (role: 'steward' | 'deputy') =>
      scene.raw('POST', `/api/plans/${plan!.id}`, {
        role,
        body: { act: 'decide', approved: true, said: 'yes', survey: plan!.survey },
      });
    expect((await decide('steward')).status).toBe(403);
    expect((await decide('deputy')).status).toBeLessThan(300);
    await scene.api('POST', `/api/plans/${plan!.id}`, { act: 'apply' });
    await all(id, 'done');
    await ended(id);
    for (const h of await hits(id))
      expect(await scene.truth('items', idOf(h.key))).toMatchObject({ held: true });
    // what it took is given back by two as well
    await scene.undo(plan!.id);
    await ended(id, 'undone');
  });

  it('set spaces back, label, and restore what they deleted, each as its workspace has it', async () => {
    await clear();
    const spaces = await scene.truth<(SpaceRow & { workspace: string })[]>('spaces');
    const site = spaces.find(
      (s) => s.workspace.includes('site') && s.editorsShare !== false && s.kind === 'site',
    )!;
    id = await make([
      rule({
        subject: 'space',
        if: `name == ${JSON.stringify(site.name)}`,
        responses: [
          { do: 'set-back', to: { editorsShare: false } },
          { do: 'label', label: 'Crew only' },
        ],
      }),
    ]);
    await all(id, 'waiting');
    await agree((await plans(id))[0]!);
    await all(id, 'done');
    await ended(id);
    expect(await scene.truth('spaces', site.id)).toMatchObject({ editorsShare: false, label: 'Crew only' });
    const [plan] = await plans(id);
    // both are changes to one space, and one change of the plan
    expect(plan!.changes).toBe(1);
    await scene.undo(plan!.id);
    await ended(id, 'undone');
    expect((await scene.truth<SpaceRow>('spaces', site.id)).label).toBe(site.label);

    const items = await scene.truth<ItemRow[]>('items');
    const owned = new Map<string, number>();
    for (const i of items) owned.set(i.name, (owned.get(i.name) ?? 0) + 1);
    const file = items.find((i) => i.kind === 'file' && owned.get(i.name) === 1 && i.space === site.id)!;
    await remove(id);
    id = await make([
      rule({ subject: 'item', if: `name == ${JSON.stringify(file.name)}`, responses: [{ do: 'delete' }] }),
    ]);
    await all(id, 'waiting');
    const [deleting] = await plans(id);
    await agree(deleting!);
    await ended(id);
    expect(await scene.truth('items', file.id)).toMatchObject({ binned: true });
    await scene.undo(deleting!.id);
    await ended(id, 'undone');
    expect((await scene.truth<ItemRow>('items', file.id)).binned).toBeUndefined();
  });

  it('say of what a workspace cannot do why, and what comes nearest', async () => {
    await clear();
    const [space] = (await scene.truth<SpaceRow[]>('spaces')).filter((s) => s.workspace === 'channels');
    id = await make([
      rule({ subject: 'space', if: `name == ${JSON.stringify(space!.name)}`, responses: [{ do: 'dim' }] }),
    ]);
    await all(id, 'failed');
    const [h] = await hits(id);
    expect(h!.parts[0]).toMatchObject({ do: 'dim', how: 'cannot' });
    expect(h!.parts[0]!.why).toContain('Nearest: show the channel to its members only.');
    expect(await plans(id)).toEqual([]);
  });

  it('withdraw what lets people outside in, and keep what lets members in', async () => {
    await clear();
    const grants = new Map((await scene.truth<GrantRow[]>('grants')).map((g) => [g.id, g]));
    id = await make([
      rule({
        subject: 'item',
        if: 'could >= outside && kind == "file" && weight <= 1',
        responses: [{ do: 'withdraw-outside' }],
      }),
    ]);
    await until(
      'a plan to be made',
      async () => (await plans(id)).length > 0 || (await hits(id)).length === 0,
      90,
    );
    const [plan] = await plans(id);
    if (plan!.state === 'asked') await agree(plan!);
    await ended(id);
    const detail = await scene.api<PlanDetail>('GET', `/api/plans/${plan!.id}`);
    expect(detail.proof!.goals.every((g) => g.holds)).toBe(true);
    expect(detail.preview.members).toBe(0);
    const left = new Map((await scene.truth<GrantRow[]>('grants')).map((g) => [g.id, g]));
    for (const [key, g] of grants)
      if (!left.has(key))
        expect(
          'group' in g.to || 'user' in g.to || 'email' in g.to || 'domain' in g.to || 'anyone' in g.to,
        ).toBe(true);
    expect((await hits(id, 'done')).length).toBeGreaterThan(0);
  });

  it('do nothing twice when the application is killed in the middle', async () => {
    await clear();
    await scene.faults([{ kind: 'latency', amount: 400, path: '/links' }]);
    id = await make([
      rule({ subject: 'link', if: LIGHT, responses: [{ do: 'narrow', audience: 'organisation' }] }),
    ]);
    await until('the plan to be under way', async () => (await plans(id))[0]?.state === 'applying', 60);
    await scene.kill('SIGKILL');
    await scene.startApp();
    await scene.faults([]);
    await all(id, 'done');
    await ended(id);
    const made = await plans(id);
    expect(made.map((p) => [p.state, p.changes])).toEqual([['applied', light.length]]);
    for (const l of light)
      expect(await scene.truth('links', l.id)).toMatchObject({ audience: 'organisation' });
  });

  it('try again with the next survey what a workspace did not do', async () => {
    await clear();
    const [bad] = light;
    await scene.faults([{ kind: 'dead', method: 'PATCH', path: bad!.id }]);
    id = await make([
      rule({ subject: 'link', if: LIGHT, responses: [{ do: 'narrow', audience: 'organisation' }] }),
    ]);
    await until(
      'one not to be done',
      async () => {
        const states = (await hits(id)).map((h) => h.state);
        return states.filter((s) => s === 'done').length === light.length - 1;
      },
      120,
    );
    await ended(id);
    await scene.faults([]);
    const [plan] = await plans(id);
    const { list } = await scene.api<PlanDetail>('GET', `/api/plans/${plan!.id}`);
    const step = list.find((c) => c.change.id === bad!.id)!;
    if (step.state === 'failed') await again(id);
    else await scene.api('POST', `/api/plans/${plan!.id}`, { act: 'retry' });
    await all(id, 'done');
    expect(await scene.truth('links', bad!.id)).toMatchObject({ audience: 'organisation' });
  });
});
