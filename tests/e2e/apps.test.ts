/** Apps: what is planted is found, who reads what agrees from every side, and withdrawing them takes. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { HoldingPage, RouteGraph } from '../../src/dto/access.ts';
import type {
  AppDomainsPage,
  AppDossier,
  AppFilesPage,
  AppPage,
  AppReaderRow,
  ScopeTable,
} from '../../src/dto/apps.ts';
import type { CrossPage, FindingsPage } from '../../src/dto/exposure.ts';
import type { HitsPage, PolicyPage } from '../../src/dto/guard.ts';
import { STARTERS } from '../../src/core/guard/starters.ts';
import type { MessagesPage } from '../../src/dto/messages.ts';
import type { PlanDetail } from '../../src/dto/remedy.ts';
import { Scene, until } from './harness.ts';

const scene = new Scene();
beforeAll(() => scene.upSurveyed());
afterAll(() => scene.down());

const query = (more: Record<string, string>): string => new URLSearchParams(more).toString();
const apps = (more: Record<string, string> = {}) =>
  scene.api<AppPage>('GET', `/api/apps?${query({ limit: '500', ...more })}`);
const names = async (more: Record<string, string>): Promise<string[]> =>
  (await apps(more)).rows.map((r) => r.name).sort();
const one = (key: string, more: Record<string, string> = {}) =>
  scene.api<AppDossier>('GET', `/api/apps/one?${query({ key, ...more })}`);
const keyOf = async (name: string, source: string): Promise<string> => {
  const row = (await apps()).rows.find((r) => r.name === name && r.key.startsWith(`${source}:`));
  if (!row) throw new Error(`there is no app ${name}`);
  return row.key;
};

describe('planted apps', () => {
  it.each([
    ['a game that reads all mail', 'category == "game" && "mail:read" in scopes', 'Harbour Blocks'],
    [
      'a converter with all that people in Finance have',
      'category == "converter" && heavy > 0',
      'Any Format',
    ],
    ['one that sends mail as people', '"mail:send" in scopes', 'Greeting Cards'],
    ['one of which something is not known', 'unknownScopes > 0', 'Archive Finder'],
  ])('%s is found, and no other', async (_, where, name) => {
    expect(await names({ where })).toEqual([name]);
  });

  it('one that nobody has used for a year and still reads all sites', async () => {
    expect(await names({ show: 'unused' })).toEqual(['Site Index']);
    const { row, scopes } = await one(await keyOf('Site Index', 'sites'));
    expect(row.everyone).toBe(true);
    expect(scopes.map((s) => s.scope)).toEqual(['files:read:all']);
  });

  it('one that is made to be taken for another, and one that answers to a bare address without TLS', async () => {
    const sums = new Map<string, string[]>();
    for (const { key, name } of (await apps()).rows) {
      const said = (await one(key)).sum.map((l) => l.why).join('\n');
      for (const kind of ['looks like', 'without TLS', 'bare address'])
        if (said.includes(kind)) sums.set(kind, [...(sums.get(kind) ?? []), name]);
    }
    expect(Object.fromEntries(sums)).toEqual({
      'looks like': ['Berth P1anner'],
      'without TLS': ['Label Printer'],
      'bare address': ['Label Printer'],
    });
  });

  it('one whose redirect host has expired, once that is looked up; a server that fails is said, and asked again', async () => {
    const page = () => scene.api<AppDomainsPage>('GET', '/api/apps/domains');
    const set = (url: string) => scene.api('PUT', '/api/apps/domains', { url });
    const ending = async (): Promise<string[]> => {
      const { rows } = await apps();
      const sums = await Promise.all(rows.map(({ key }) => one(key)));
      return sums.flatMap((d) =>
        d.sum.some((l) => l.why.includes('anybody can register')) ? d.row.name : [],
      );
    };
    expect(await page()).toMatchObject({ url: null, known: 0, ending: [] });
    expect(await ending()).toEqual([]);
    await scene.faults([{ kind: 'dead', path: '/registry/domain/tidewriter.example', times: 3 }]);
    await set(`${scene.standinUrl}/registry/`);
    const broken = await until('the trouble to be told', async () => {
      const now = await page();
      return now.trouble ? now : undefined;
    });
    expect(broken.trouble).toMatch(/^tidewriter\.example: .*500/);
    expect(broken.ending).toEqual([]);
    await set(`${scene.standinUrl}/registry`);
    const whole = await until('all to be looked up', async () => {
      const now = await page();
      return now.known === now.domains && !now.trouble ? now : undefined;
    });
    expect(whole.ending).toMatchObject([
      { domain: 'tidewriter.example', registered: true, over: true, apps: [{ name: 'Tide Writer' }] },
    ]);
    expect(await ending()).toEqual(['Tide Writer']);
    expect(
      (await scene.raw('PUT', '/api/apps/domains', { role: 'steward', body: { url: 'ftp://x' } })).status,
    ).toBe(422);
    expect((await page()).ending).toHaveLength(1);
    await set('');
    expect(await page()).toMatchObject({ url: null, known: 0, ending: [] });
    expect(await ending()).toEqual([]);
  });

  it('reads for the eleven people who let it in, by routes that begin with it', async () => {
    const key = await keyOf('Any Format', 'drives');
    const { row, grants, sum, spaces } = await one(key);
    expect(grants).toHaveLength(11);
    expect(new Set(grants.map((g) => /198\.51\.100\.\d+$|^$/.test(g.from)))).toEqual(new Set([true]));
    expect(grants.some((g) => g.from)).toBe(true);
    expect(sum.reduce((n, l) => n + l.points, 0)).toBe(row.points);
    expect(spaces.reduce((n, s) => n + s.files, 0)).toBe(row.files);
    const { rows, total } = await scene.api<AppFilesPage>(
      'GET',
      `/api/apps/files?${query({ key, limit: '20' })}`,
    );
    expect(total).toBe(row.files);
    const heaviest = rows[0]!;
    const at = await scene.api<AppReaderRow[]>('GET', `/api/apps/at?${query({ node: heaviest.key })}`);
    expect(at.find((a) => a.key === key)!.capabilities).toContain('open');
    const graph = await scene.api<RouteGraph>(
      'GET',
      `/api/holdings/graph?${query({ node: heaviest.key, app: key })}`,
    );
    expect(graph.nodes.filter((n) => n.column === 'app').map((n) => n.label)).toEqual(['Any Format']);
    const people = new Set(grants.map((g) => g.person!.name));
    const drawn = graph.nodes.flatMap((n) => n.people ?? []);
    expect(drawn).toHaveLength(graph.people);
    for (const p of drawn) expect(people).toContain(p.name);
    // every one of them says so of themselves
    const theirs = await scene.api<AppReaderRow[]>(
      'GET',
      `/api/apps/of?${query({ key: grants[0]!.person!.key })}`,
    );
    expect(theirs.map((a) => a.name)).toContain('Any Format');
  });

  it('says which apps read each of the heaviest files as each app says of itself', async () => {
    const list = (await apps({ where: 'heavy > 0' })).rows;
    const readers = new Map<string, string[]>();
    for (const { key } of list) {
      const { rows } = await scene.api<AppFilesPage>(
        'GET',
        `/api/apps/files?${query({ key, weight: '4', limit: '500' })}`,
      );
      for (const r of rows) readers.set(r.key, [...(readers.get(r.key) ?? []), key]);
    }
    expect(readers.size).toBeGreaterThan(3);
    // and so say a condition and the table of all apps
    const heaviest = await scene.api<HoldingPage>(
      'GET',
      `/api/holdings?${query({ list: 'true', kind: 'file', where: 'weight == 4 && apps > 0', limit: '500' })}`,
    );
    expect(heaviest.rows.map((r) => r.key).sort()).toEqual([...readers.keys()].sort());
    const cross = await scene.api<CrossPage>('GET', `/api/cross?${query({ by: 'app', measures: 'files' })}`);
    const counts = new Map(cross.cells.map((c) => [cross.values[0]![c.at[0]!], c.values[0]]));
    for (const r of (await apps()).rows)
      if (r.files) expect(counts.get(`${r.name} (${r.workspace})`)).toBe(r.files);
    for (const [node, by] of readers) {
      const at = await scene.api<AppReaderRow[]>('GET', `/api/apps/at?${query({ node })}`);
      expect(
        at
          .filter((a) => a.capabilities.includes('open'))
          .map((a) => a.key)
          .sort(),
      ).toEqual(by.sort());
    }
  });
});

describe('scopes of other vocabularies', () => {
  const table = () => scene.api<ScopeTable>('GET', '/api/apps/scopes');
  const points = async (): Promise<number> => (await one(await keyOf('Archive Finder', 'sites'))).row.points;

  it('count as anything until a steward says what they come to, and again when that is taken back', async () => {
    expect((await table()).unknown).toEqual([{ scope: 'documents.search', kind: 'sites', apps: 1 }]);
    const before = await points();
    const said = {
      kind: 'sites',
      scope: 'documents.search',
      words: '<b>find</b> documents',
      means: ['directory:read'],
    };
    expect((await scene.raw('PUT', '/api/apps/scopes', { role: 'auditor', body: said })).status).toBe(403);
    expect(
      (
        await scene.raw('PUT', '/api/apps/scopes', {
          role: 'steward',
          body: { ...said, means: ['all of it'] },
        })
      ).status,
    ).toBe(422);
    await scene.api('PUT', '/api/apps/scopes', said);
    const { unknown, others } = await table();
    expect(unknown).toEqual([]);
    expect(others).toMatchObject([{ ...said, apps: 1 }]);
    const dossier = await one(await keyOf('Archive Finder', 'sites'));
    expect(dossier.row.points).toBeLessThan(before);
    expect([dossier.row.files, dossier.scopes[0]!.words]).toEqual([0, said.words]);
    await scene.api('DELETE', '/api/apps/scopes', { kind: 'sites', scope: said.scope });
    expect(await points()).toBe(before);
    expect(
      (
        await scene.raw('DELETE', '/api/apps/scopes', {
          role: 'steward',
          body: { kind: 'sites', scope: said.scope },
        })
      ).status,
    ).toBe(404);
  });
});

describe('a policy about apps', () => {
  const make = (id: string, mode: 'observe' | 'enforce') => {
    const { policy } = STARTERS.find((s) => s.id === id)!;
    const rules = policy.rules.map((r) => ({ ...r, mode }));
    return scene.api<{ id: number }>('POST', '/api/policies', {
      policy: { ...policy, rules },
      note: 'tried before',
    });
  };
  const judged = (id: number) =>
    until('the policy to be judged', async () => {
      const { runs } = await scene.api<PolicyPage>('GET', `/api/policies/${id}`);
      return runs.length > 0;
    });
  const hits = (id: number) => scene.api<HitsPage>('GET', `/api/policies/hits?limit=500&policy=${id}`);

  it('hits those of which its condition holds, and opens a finding of each', async () => {
    const { id } = await make('apps-unverified', 'enforce');
    await judged(id);
    const risky = (await apps({ where: '!verified && heavy > 0 || unknownScopes > 0' })).rows;
    const { rows } = await hits(id);
    const keys = risky.map((r) => `app:${r.key}`).sort();
    expect([...new Set(rows.map((h) => h.open))].sort()).toEqual(keys);
    const findings = await until('findings to be told', async () => {
      const page = await scene.api<FindingsPage>('GET', '/api/findings?kind=breach&limit=500');
      return page.total === rows.length ? page : undefined;
    });
    expect(new Set(findings.rows.map((f) => f.summary.name))).toEqual(new Set(risky.map((r) => r.name)));
    await scene.api('DELETE', `/api/policies/${id}`, {});
  });

  it('withdraws an app from all who let it in', async () => {
    const at = () => scene.truth<{ app: string }[]>('app-grants');
    const of = (list: { app: string }[]) => list.filter((g) => g.app === 'label-printer.sites').length;
    const before = await at();
    expect(of(before)).toBe(6);
    const rule = {
      ...{ id: 'r1', name: 'Printers', subject: 'app', if: 'category == "printing"', atRest: true },
      ...{ mode: 'enforce', severity: 'low', responses: [{ do: 'withdraw' }] },
    };
    const { id } = await scene.api<{ id: number }>('POST', '/api/policies', {
      policy: { format: 'gate-lantern-policy', version: 1, name: 'No printers', rules: [rule] },
      note: 'to see',
    });
    await judged(id);
    expect((await hits(id)).rows.map((h) => h.name)).toEqual(['Label Printer']);
    await until('the app to be withdrawn', async () => of(await at()) === 0);
    expect(await at()).toHaveLength(before.length - 6);
    await scene.api('DELETE', `/api/policies/${id}`, {});
  });

  it('withdraws those that nobody uses, by a plan of its own', async () => {
    const { id } = await make('apps-unused', 'enforce');
    await judged(id);
    expect((await hits(id)).rows.map((h) => h.name)).toEqual(['Site Index, let in for everyone']);
    const key = await keyOf('Site Index', 'sites');
    await until('the app to be withdrawn', async () => !(await one(key)).row.everyone);
    const left = await scene.truth<{ app: string }[]>('app-grants');
    expect(left.filter((g) => g.app === 'site-index.sites')).toEqual([]);
    await scene.api('DELETE', `/api/policies/${id}`, {});
  });
});

describe('withdrawing an app', () => {
  const plan = (id: number) => scene.api<PlanDetail>('GET', `/api/plans/${id}`);
  const ended = (id: number) =>
    until(`plan ${id} to end`, async () => {
      const p = await plan(id);
      return p.state === 'applied' || p.state === 'undone' ? p : undefined;
    });
  const grantsAt = async (app: string) =>
    (await scene.truth<{ id: string; app: string }[]>('app-grants')).filter((g) => g.app === app);

  it.each(['drives', 'channels'] as const)(
    'takes at %s, is proved, and cannot be put back by undoing',
    async (source) => {
      const [name, everyone] = source === 'drives' ? ['Backup Locker', true] : ['Greeting Cards', false];
      const key = await keyOf(name, source);
      const id = key.slice(source.length + 1);
      const before = await one(key);
      const changes = before.all.map((g) => ({ kind: 'appGrant', source, id: g }));
      expect(changes).toHaveLength((await grantsAt(id)).length);
      await scene.api('POST', '/api/tray', { changes });
      const made = await scene.api<{ id: number }>('POST', '/api/plans', {
        name: 'Apps',
        reason: 'not needed',
      });
      const { preview } = await plan(made.id);
      expect(preview.apps).toMatchObject([
        { name, everyone, people: before.row.people, left: 0, files: [before.row.files, 0] },
      ]);
      expect(preview.forGood!.join(' ')).toMatch(/cannot be put back.*revokes/);
      await scene.approved(made.id);
      await scene.api('POST', `/api/plans/${made.id}`, { act: 'apply' });
      const applied = await ended(made.id);
      expect(new Set(applied.list.map((c) => c.state))).toEqual(new Set(['verified']));
      expect(await grantsAt(id)).toEqual([]);
      expect((await one(key)).row).toMatchObject({ people: 0, everyone: false, files: 0 });
      await scene.undo(made.id);
      const undone = await ended(made.id);
      expect(new Set(undone.list.map((c) => c.state))).toEqual(new Set(['undo-failed']));
      expect(undone.list[0]!.note).toMatch(/has to do so again/);
      // each of those who let it in is told, once
      const active = before.grants.flatMap((g) => (g.person?.active ? g.person.name : []));
      expect(active.length > 0).toBe(!everyone);
      await until('them to be told', async () => {
        const { rows } = await scene.api<MessagesPage>('GET', '/api/messages?limit=200');
        const told = rows.filter((m) => m.subject === `You can let ${name} in again`).map((m) => m.name);
        return JSON.stringify(told.sort()) === JSON.stringify([...active].sort());
      });
      expect(await grantsAt(id)).toEqual([]);
    },
  );

  it('says when somebody lets it in again', async () => {
    const [mine] = (await one(await keyOf('Any Format', 'drives'))).grants;
    const was = await scene.truth<Record<string, unknown>>('app-grants', mine!.id);
    await scene.api('POST', '/api/tray', { changes: [{ kind: 'appGrant', source: 'drives', id: mine!.id }] });
    const { id } = await scene.api<{ id: number }>('POST', '/api/plans', { name: 'One', reason: 'to see' });
    await scene.approved(id);
    await scene.api('POST', `/api/plans/${id}`, { act: 'apply' });
    await ended(id);
    await scene.setTruth('app-grants', {
      ...was,
      id: 'again',
      grantedAt: new Date(Date.now() + 60_000).toISOString(),
    });
    await scene.survey('incremental');
    const back = await until('what came back', async () => (await plan(id)).list.find((c) => c.drift));
    expect(JSON.stringify(back.drift)).toContain('let “Any Format” in again');
  });
});
