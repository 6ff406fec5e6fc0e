/** Policies in the running application: judged by themselves, what they hit, versions, and what is refused. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { STARTERS } from '../../src/core/guard/starters.ts';
import type { GrantRow, LinkRow } from '../../src/core/model.ts';
import type {
  Applies,
  Coverage,
  HitsPage,
  HoldingCosts,
  PolicyPage,
  PolicyRow,
  RuleTry,
  Sample,
  ScopeName,
  Trial,
} from '../../src/dto/guard.ts';
import { Scene, until } from './harness.ts';

const scene = new Scene();
beforeAll(async () => {
  await scene.upSurveyed();
});
afterAll(() => scene.down());

const HOSTILE = '=HYPERLINK("http://evil.test")<img src=x onerror=alert(1)>.txt';
const starter = (id: string) => STARTERS.find((s) => s.id === id)!.policy;
const make = (policy: object, note = '') =>
  scene.api<{ id: number }>('POST', '/api/policies', { policy, note });
const one = (id: number) => scene.api<PolicyPage>('GET', `/api/policies/${id}`);
const hits = (query: string) => scene.api<HitsPage>('GET', `/api/policies/hits?limit=500&${query}`);
/** Resolves when a policy was judged more often than so many times. */
const judged = (id: number, runs = 0) =>
  until('the policy to be judged', async () => (await one(id)).runs.length > runs, 60);
const links = () => scene.truth<LinkRow[]>('links');

describe('a policy', () => {
  let id: number;

  it('is judged as it is made, and hits the links that the workspaces themselves have', async () => {
    ({ id } = await make(starter('anyone-edit'), 'from a starter'));
    await judged(id);
    const { policy } = await one(id);
    const own = { ...policy, rules: [{ ...policy.rules[0]!, if: 'audience == "anyone"' }] };
    await scene.api('PUT', `/api/policies/${id}`, { policy: own, version: 1, note: 'readers too' });
    await judged(id, 1);
    const truth = (await links())
      .filter((l) => l.audience === 'anyone' && !(l.expiresAt && Date.parse(l.expiresAt) <= Date.now()))
      .map((l) => l.id);
    const found = (await hits(`policy=${id}`)).rows;
    expect(found.map((h) => h.key.split(':').at(-1)!).sort()).toEqual(truth.sort());
    expect(found.every((h) => h.state === 'would' && h.version === 2)).toBe(true);
    const page = await one(id);
    expect(page.versions.map((v) => [v.version, v.note])).toEqual([
      [2, 'readers too'],
      [1, 'from a starter'],
    ]);
    expect(page.hits).toBe(found.length);
    expect(await scene.api('GET', `/api/policies/versions/${id}?version=1`)).toEqual(starter('anyone-edit'));
  });

  it('says what is new and what is over by itself once the workspaces have changed', async () => {
    const [first] = (await links()).filter((l) => l.audience === 'anyone');
    const before = await hits(`policy=${id}`);
    await scene.setTruth('links', { ...first!, audience: 'organisation' });
    await scene.survey('incremental');
    await until('it to be over', async () => (await hits(`policy=${id}&state=over`)).total === 1, 60);
    const [over] = (await hits(`policy=${id}&state=over`)).rows;
    expect(over!.key).toMatch(new RegExp(`^link:[a-z]+:${first!.id}$`));
    expect(over!.overAt).not.toBeNull();
    expect((await hits(`policy=${id}`)).total).toBe(before.total - 1);
    await scene.setTruth('links', { ...first!, audience: 'anyone' });
    await scene.survey('incremental');
    await until('it to be hit again', async () => (await hits(`policy=${id}`)).total === before.total, 60);
    expect((await hits(`policy=${id}&state=over`)).total).toBe(0);
    const [last] = (await one(id)).runs;
    expect([last!.opened, last!.over, last!.by]).toEqual([1, 0, 'Gate Lantern']);
    // what was hit all along is hit since the beginning
    const since = new Map(before.rows.map((h) => [h.key, h.since]));
    for (const h of (await hits(`policy=${id}`)).rows)
      if (h.key !== over!.key) expect(h.since).toBe(since.get(h.key));
  });

  it('tries a rule while it is written, and tells what is wrong with it', async () => {
    const policy = starter('anyone-heavy');
    const tried = (given: object) =>
      scene.api<{ tried?: RuleTry; wrong: { at: string; why: string }[] }>('POST', '/api/policies/try', {
        policy: given,
        rule: 'r1',
      });
    const rule = policy.rules[0]!;
    const all = await tried({ ...policy, rules: [{ ...rule, if: 'true' }] });
    const heavy = await tried(policy);
    const kept = await make(policy);
    await judged(kept.id);
    expect(heavy.tried!.hits).toBe((await one(kept.id)).hits);
    expect(all.tried!.hits).toBe(all.tried!.of);
    const drives = await tried({
      ...policy,
      scope: { include: { workspaces: ['drives'] } },
      rules: [{ ...rule, if: 'true' }],
    });
    expect(drives.tried!.first.every((h) => h.key.startsWith('link:drives:'))).toBe(true);
    expect([drives.tried!.hits > 0, drives.tried!.hits < all.tried!.hits]).toEqual([true, true]);
    expect(all.tried!.first).toHaveLength(Math.min(10, all.tried!.of));
    const wrong = async (change: object) => (await tried({ ...policy, ...change })).wrong;
    expect(await wrong({ rules: [{ ...rule, if: 'audience == anyone' }] })).toEqual([
      { at: 'rules[0].if', why: expect.stringContaining('Text is written in quotes') as string },
    ]);
    expect(await wrong({ rules: [{ ...rule, if: 'holds("no-such-thing")' }] })).toEqual([
      { at: 'rules[0].if', why: 'There is no data type or pack “no-such-thing”.' },
    ]);
    expect(await wrong({ colour: 'red' })).toEqual([{ at: 'colour', why: 'There is no such key here.' }]);
    // a condition that would hold everybody up is refused before it runs
    const list = `[${'"a",'.repeat(20)}"b"]`;
    const deep = `${list}.exists(a, ${list}.exists(b, ${list}.exists(c, ${list}.exists(d, a == d && b == c))))`;
    const [slow] = await wrong({ rules: [{ ...rule, if: deep }] });
    expect(slow!.why).toContain('steps for each row');
  });

  it('tells what each certainty and number would hit as trying each does', async () => {
    const policy = starter('cards-outside');
    const costs = (what: string, more = '') =>
      scene.api<HoldingCosts | null>('GET', `/api/policies/holding?what=${encodeURIComponent(what)}${more}`);
    for (const what of ['payment-card', 'pack:bank-data']) {
      const { numbers, rows, own } = (await costs(what, '&certainty=65'))!;
      expect(own === null).toBe(what.startsWith('pack:'));
      expect(rows.map((r) => r.certainty)).toEqual([30, 55, 65, 80]);
      for (const r of [rows[0]!, rows[3]!])
        for (const by of ['distinct', 'occurrences'] as const) {
          const k = numbers.indexOf(3);
          const condition = `kind == "file" && holds("${what}", {"certainty": ${r.certainty}, "${by}": 3})`;
          const { tried } = await scene.api<{ tried: RuleTry }>('POST', '/api/policies/try', {
            policy: { ...policy, rules: [{ ...policy.rules[0], if: condition }] },
            rule: 'r1',
          });
          expect(r[by][k], `${what} ${r.certainty} ${by}`).toBe(tried.hits);
        }
    }
    expect(await costs('no-such-thing')).toBeNull();
    await expect(costs('iban', '&parts=elsewhere')).rejects.toThrow(/422/);
  });

  it('can be held to what is there by name, and what is called so is in scope', async () => {
    const names = (key: string, text = '') =>
      scene.api<ScopeName[]>('GET', `/api/policies/names?key=${key}&text=${encodeURIComponent(text)}`);
    const policy = starter('cards-outside');
    for (const key of ['units', 'groups', 'people', 'workspaces', 'spaces', 'spaceKinds', 'labels']) {
      const all = await names(key);
      expect(all.length, key).toBeGreaterThan(0);
      const [first] = all;
      expect((await names(key, first!.name.slice(0, 5))).map((n) => n.value)).toContain(first!.value);
      const hit = async (value: string) =>
        (
          await scene.api<{ tried: RuleTry }>('POST', '/api/policies/try', {
            policy: {
              ...policy,
              scope: { include: { [key]: [value] } },
              rules: [{ ...policy.rules[0], if: 'true' }],
            },
            rule: 'r1',
          })
        ).tried.hits;
      // somebody of them has something
      const counts = await Promise.all(all.slice(0, 20).map((n) => hit(n.value)));
      expect(Math.max(...counts), key).toBeGreaterThan(0);
      // of kinds there are no others
      if (key !== 'spaceKinds') expect(await hit('nothing is called so')).toBe(0);
    }
    expect(await names('units', 'nothing is called so')).toEqual([]);
  });

  it('is marked right or wrong on a sample that stays the same, and tells of a thing what applies to it', async () => {
    const made = await make(starter('anyone-heavy'));
    await judged(made.id);
    const sample = () => scene.api<Sample>('GET', `/api/policies/marks?id=${made.id}&rule=r1`);
    const before = await sample();
    const all = (await hits(`policy=${made.id}`)).rows;
    expect(new Set(before.rows.map((r) => r.key))).toEqual(new Set(all.map((h) => h.key)));
    expect(Object.values(before.sizes).reduce((a, b) => a + b, 0)).toBe(all.length);
    const mark = (key: string, right: boolean | null, as?: 'auditor') =>
      scene.api('PUT', '/api/policies/marks', { id: made.id, rule: 'r1', key, right }, as);
    const [a, b] = before.rows;
    await mark(a!.key, true);
    await mark(b!.key, false);
    await mark('link:drives:of-a-trial', true);
    await expect(mark(a!.key, false, 'auditor')).rejects.toThrow(/403/);
    const after = await sample();
    expect(after.rows.map((r) => r.key)).toEqual(before.rows.map((r) => r.key));
    expect(after.rows.slice(0, 2).map((r) => r.right)).toEqual([true, false]);
    expect(after.others).toEqual([{ key: 'link:drives:of-a-trial', right: true, certainty: null }]);
    await mark(a!.key, null);
    expect((await sample()).rows[0]!.right).toBeNull();

    const applies = (key: string) =>
      scene.api<Applies[] | null>('GET', `/api/policies/applies?key=${encodeURIComponent(key)}`);
    const [hit] = all;
    const found = (await applies(hit!.open))!.find((x) => x.policy === made.id)!;
    expect(found).toMatchObject({ rule: 'r1', mode: 'observe', atRest: true });
    expect(found.hits.map((h) => h.state)).toContain('would');
    // a person is the matter of no rule about links
    const [person] = await scene.truth<{ id: string }[]>('users');
    expect((await applies(`user:${person!.id}`))!.filter((x) => x.policy === made.id)).toEqual([]);
    expect(await applies('item:drives:nowhere')).toBeNull();
    await scene.api('DELETE', `/api/policies/${made.id}`, {});
    expect((await applies(hit!.open))!.filter((x) => x.policy === made.id)).toEqual([]);
  });

  it('is not overwritten by whoever has not seen the last version, and keeps nothing that is wrong', async () => {
    const { policy, version } = await one(id);
    await scene.api('PUT', `/api/policies/${id}`, { policy, version, note: 'first' });
    await expect(
      scene.api('PUT', `/api/policies/${id}`, { policy, version, note: 'second' }, 'deputy'),
    ).rejects.toThrow(/409 This policy was changed meanwhile/);
    await expect(make({ ...policy, rules: [] })).rejects.toThrow(/422 rules:/);
    await expect(make({ ...policy, rules: [{ ...policy.rules[0], mode: 'enforce' }] })).rejects.toThrow(
      /422 .*Say why, for the record/,
    );
    await expect(scene.api('POST', '/api/policies', { policy }, 'auditor')).rejects.toThrow(/403/);
    expect((await one(id)).version).toBe(version + 1);
  });

  it('tries a rule on what was shared lately, as the rows of the workspaces have it', async () => {
    const days = 400;
    const policy = starter('confidential-outside');
    const rule = { ...policy.rules[0]!, if: 'could >= organisation' };
    const { trial } = await scene.api<{ trial: Trial }>('POST', '/api/policies/trial', {
      policy: { ...policy, rules: [rule] },
      rule: 'r1',
      days: 366,
    });
    const [{ takenAt }] = (await scene.api<{ takenAt: string }[]>('GET', '/api/surveys')).slice(0, 1) as [
      { takenAt: string },
    ];
    const since = Date.parse(takenAt) - 366 * 86_400_000;
    const items = new Set((await scene.truth<{ id: string }[]>('items')).map((i) => i.id));
    const lately = (t: string | undefined) =>
      t !== undefined && Date.parse(t) > since && Date.parse(t) <= Date.parse(takenAt);
    const grants = (await scene.truth<GrantRow[]>('grants')).filter((g) => lately(g.grantedAt));
    const made = (await links()).filter((l) => lately(l.createdAt));
    expect(trial.shared).toBe(grants.length + made.length);
    const onItem = (on: object) => 'item' in on && items.has(on.item as string);
    // whoever the workspaces name that is no member: everybody, anybody, a domain, an address that is nobody's
    const wide =
      grants.filter((g) => onItem(g.on) && ('everyone' in g.to || 'anyone' in g.to)).length +
      made.filter((l) => onItem(l.on) && l.audience !== 'named').length;
    expect(trial.hits).toBeGreaterThanOrEqual(wide);
    expect(wide).toBeGreaterThan(0);
    expect(trial.byDay.reduce((n, d) => n + d.hits, 0)).toBe(trial.hits);
    expect(trial.people.reduce((n, p) => n + p.hits, 0)).toBeLessThanOrEqual(trial.hits);
    const inside = await scene.api<{ trial: Trial }>('POST', '/api/policies/trial', {
      policy: { ...policy, rules: [{ ...rule, if: 'could < organisation' }] },
      rule: 'r1',
      days: 366,
    });
    const onItems = [...grants, ...made].filter((r) => onItem(r.on)).length;
    expect(inside.trial.hits + trial.hits).toBe(onItems);
    expect(trial.rows.every((r) => /^(grant|link):/.test(r.share) && r.certainty === null)).toBe(true);
    expect(trial.inPilot).toBeLessThanOrEqual(trial.hits);
    // all rules of a policy together: what one or the other hits, once
    const whole = await scene.api<{ trial: Trial }>('POST', '/api/policies/trial', {
      policy: {
        ...policy,
        rules: [rule, { ...rule, id: 'r2', if: 'could < organisation' }, { ...rule, id: 'r3', if: 'true' }],
      },
      days: 366,
    });
    expect(whole.trial.hits).toBe(onItems);
    await expect(scene.api('POST', '/api/policies/trial', { policy, rule: 'r1', days })).rejects.toThrow(
      /422/,
    );
  });

  it('says what the rules are about, and what none is', async () => {
    const policies = await scene.api<PolicyRow[]>('GET', '/api/policies');
    for (const p of policies) await scene.api('DELETE', `/api/policies/${p.id}`, {});
    const none = await scene.api<Coverage & { rules: number }>('GET', '/api/policies/coverage');
    expect([none.rules, none.ofBare > 0]).toEqual([0, true]);
    const all = none.groups.reduce((n, g) => n + g.spaces.all, 0);
    expect(none.ofBare).toBe(all);
    ({ id } = await make({ ...starter('anyone-edit'), scope: { include: { workspaces: ['drives'] } } }));
    const some = await scene.api<Coverage>('GET', '/api/policies/coverage');
    const spaces = await scene.truth<{ id: string; workspace: string; kind: string }[]>('spaces');
    const inDrives = new Set(spaces.filter((s) => s.workspace === 'drives').map((s) => s.id));
    const files = (await scene.truth<{ space: string; kind: string }[]>('items')).filter(
      (i) => i.kind === 'file' && inDrives.has(i.space),
    );
    const sum = (of: (g: Coverage['groups'][number]) => number) => some.groups.reduce((n, g) => n + of(g), 0);
    expect(sum((g) => g.files.observe)).toBe(files.length);
    expect(sum((g) => g.files.enforce)).toBe(0);
    const withFiles = new Set(files.map((f) => f.space));
    expect(sum((g) => g.spaces.observe)).toBeGreaterThanOrEqual(withFiles.size);
    expect(some.ofBare).toBe(all - sum((g) => g.spaces.observe));
    expect([none.apps, some.apps]).toEqual([null, null]);
    const apps = await make({
      ...starter('apps-unapproved'),
      scope: { include: { workspaces: ['drives'] } },
    });
    const grants = await scene.truth<{ workspace: string }[]>('app-grants');
    expect((await scene.api<Coverage>('GET', '/api/policies/coverage')).apps).toEqual({
      ...{ all: grants.length, enforce: 0 },
      observe: grants.filter((g) => g.workspace === 'drives').length,
    });
    await scene.api('DELETE', `/api/policies/${apps.id}`, {});
  });

  it('judges in its rhythm and not with every survey, and is judged on request', async () => {
    const made = await make({ ...starter('owners'), rhythm: 'FREQ=DAILY;BYHOUR=5' });
    await judged(made.id);
    const due = async () =>
      (await scene.api<PolicyRow[]>('GET', '/api/policies')).find((p) => p.id === made.id)!.nextRun;
    const next = new Date(await until('it to be due again', async () => (await due()) ?? undefined));
    expect([
      next.getUTCHours(),
      next.getTime() > Date.now(),
      next.getTime() < Date.now() + 86_400_000,
    ]).toEqual([5, true, true]);
    const before = (await one(id)).runs.length;
    await scene.survey('incremental');
    await judged(id, before);
    expect((await one(made.id)).runs).toHaveLength(1);
    await scene.api('POST', `/api/policies/${made.id}`, { act: 'run' });
    await judged(made.id, 1);
    // when it is due next is written once what it responds was begun
    const again = await until('it to be due again', async () => (await due()) ?? undefined);
    expect(again).toBe(next.toISOString());
  });

  it('tells names that are hostile as they are, and takes them out as text', async () => {
    const [item] = await scene.truth<{ id: string; kind: string }[]>('items');
    await scene.setTruth('items', { ...item!, name: HOSTILE });
    const rule = {
      ...starter('label-missing').rules[0]!,
      subject: 'item',
      if: 'name.contains("onerror")',
      responses: [],
    };
    const made = await make({ ...starter('label-missing'), name: HOSTILE, rules: [rule] });
    await scene.survey();
    await until('it to be hit', async () => (await hits(`policy=${made.id}`)).total === 1, 60);
    expect((await hits(`policy=${made.id}&text=ONERROR`)).rows[0]!.name).toBe(HOSTILE);
    const csv = await (
      await scene.raw('GET', `/api/export?table=hits&format=csv&policy=${made.id}`, { role: 'steward' })
    ).text();
    expect(csv).toContain(`"'=HYPERLINK(""http://evil.test"")`);
    await scene.api('DELETE', `/api/policies/${made.id}`, {});
    expect((await scene.api<PolicyRow[]>('GET', '/api/policies')).some((p) => p.id === made.id)).toBe(false);
    expect((await hits(`policy=${made.id}`)).total).toBe(0);
  });

  it('goes on after the application was killed, with what it hit and when it is due', async () => {
    const before = await scene.api<PolicyRow[]>('GET', '/api/policies');
    await scene.kill('SIGKILL');
    await scene.startApp();
    const after = await scene.api<PolicyRow[]>('GET', '/api/policies');
    const lasting = (rows: PolicyRow[]) => rows.map(({ lastRun: _, ...p }) => p);
    expect(lasting(after)).toEqual(lasting(before));
  });
});
