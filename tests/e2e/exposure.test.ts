/** Exposure in the running application: cross-tabulation recounted plainly, conditions, decisions, kept views, files taken away. */
import { randomUUID } from 'node:crypto';
import exceljs from 'exceljs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { z } from 'zod';
import { makeWorld } from '../../demo/world.ts';
import { STARTERS } from '../../src/core/guard/starters.ts';
import { TIERS, type LinkRow } from '../../src/core/model.ts';
import type {
  CrossFile,
  CrossPage,
  FindingEvent,
  FindingGroup,
  FindingRow,
  FindingsPage,
  Fix,
  WatchPage,
} from '../../src/dto/exposure.ts';
import type { CutPage } from '../../src/dto/remedy.ts';
import type { HoldingPage } from '../../src/dto/access.ts';
import { TABLE_QUERIES, TABLES, type TableName } from '../../src/dto/tables.ts';
import type { SavedView } from '../../src/dto/accounts.ts';
import { demoRows } from '../demo-rows.ts';
import { plainly } from '../reference/plain-access.ts';
import { Scene, until } from './harness.ts';

const scene = new Scene();
const HOSTILE = '=HYPERLINK("http://evil.test","x")<script>alert(1)</script>.pem';
beforeAll(async () => {
  await scene.upSurveyed();
});
afterAll(() => scene.down());

const path = (at: string, params: Record<string, string | number> = {}) =>
  `${at}?${new URLSearchParams(Object.entries(params).map(([k, v]) => [k, String(v)]))}`;
const ask = <T>(
  at: string,
  params: Record<string, string | number> = {},
  role: 'steward' | 'auditor' = 'steward',
) => scene.api<T>('GET', path(at, params), undefined, role);
const findings = (params: Record<string, string | number> = {}) =>
  ask<FindingsPage>('/api/findings', { limit: 500, ...params });
const triage = (ids: number[], decision: object) =>
  scene.api<{ changed: number }>('POST', '/api/findings/triage', { findings: ids, decision });
const cell = (page: CrossPage, ...at: (string | null)[]): number[] => {
  const found = page.cells.find((c) =>
    c.at.every((v, k) => (v === null ? null : page.values[k]![v]) === at[k]),
  );
  return found?.values ?? page.measures.map(() => 0);
};

describe('a cross-tabulation', () => {
  const world = makeWorld();
  const rows = demoRows(world, Date.now());
  const spaces = new Map(world.spaces.map((s) => [s.id, s]));
  const team = new Map(world.spaces.flatMap((s) => (s.parts ?? []).map((p) => [p, s])));

  it('counts files, bytes and people by kind of space and reach as a plain reading of the rows does', async () => {
    const page = await ask<CrossPage>('/api/cross', {
      by: 'space-kind,reach',
      measures: 'files,bytes,people',
    });
    const { judge } = plainly(rows);
    const wanted = new Map<string, { files: number; bytes: number; people: Set<string> }>();
    for (const item of world.items) {
      const space = spaces.get(item.space)!;
      const { could, who } = judge(space, item);
      const kind = (team.get(space.id) ?? space).kind;
      for (const key of [`${kind} ${could.tier}`, `${kind} *`, `* ${could.tier}`, '* *']) {
        const c = wanted.get(key) ?? { files: 0, bytes: 0, people: new Set() };
        if (item.kind === 'file') {
          c.files++;
          c.bytes += item.bytes ?? 0;
        }
        for (const p of Object.keys(who)) c.people.add(p);
        wanted.set(key, c);
      }
    }
    expect(page.cells).toHaveLength(wanted.size);
    for (const [key, w] of wanted) {
      const at = key.split(' ').map((x) => (x === '*' ? null : x));
      expect([key, ...cell(page, ...at)]).toEqual([key, w.files, w.bytes, w.people.size]);
    }
  });

  it('counts each link once, by its audience and where it is, however many files are below it', async () => {
    const page = await ask<CrossPage>('/api/cross', { by: 'audience,level', measures: 'links' });
    const items = new Map(world.items.map((i) => [i.id, i]));
    const holds = (l: LinkRow): boolean => !l.expiresAt || Date.parse(l.expiresAt) > Date.now();
    const inert = (l: LinkRow): boolean => {
      const space = spaces.get('space' in l.on ? l.on.space : items.get(l.on.item)!.space)!;
      const ws = rows.workspaces.find((w) => w.id === space.workspace)!;
      return (
        l.audience === 'anyone' &&
        ((space.gate ?? []).length > 0 ||
          [space.externalSharing, ws.externalSharing].some((x) => x && x !== 'anyone'))
      );
    };
    const live = world.links.filter((l) => holds(l) && !inert(l));
    for (const audience of ['named', 'organisation', 'anyone'] as const)
      for (const level of ['space', 'folder', 'file'] as const) {
        const n = live.filter(
          (l) =>
            l.audience === audience && ('space' in l.on ? 'space' : items.get(l.on.item)!.kind) === level,
        ).length;
        expect([audience, level, cell(page, `link: ${audience}`, level)[0]]).toEqual([audience, level, n]);
      }
    expect(cell(page, null, null)[0]).toBe(live.length);
    expect(page.overlaps).toEqual([true, true]);
  });

  it('opens every number’s rows, by three dimensions too', async () => {
    const by = { by: 'type,reach,workspace', measures: 'items' };
    const page = await ask<CrossPage>('/api/cross', by);
    expect(page.cells.length).toBeGreaterThan(100);
    for (const c of page.cells.filter((_, i) => i % 17 === 0)) {
      const at = JSON.stringify(c.at.map((v, k) => (v === null ? null : page.values[k]![v])));
      const { total } = await ask<{ total: number }>('/api/cross/items', { ...by, at, limit: 1 });
      expect(total).toBe(c.values[0]);
    }
    // a file of two types is in two rows, and once in the total
    const two = page.values[0]!.reduce((n, t) => n + cell(page, t, null, null)[0]!, 0);
    expect(two).toBeGreaterThan(cell(page, null, null, null)[0]!);
    const held = await ask<CrossPage>('/api/cross', { ...by, where: 'could >= outside && kind == "file"' });
    const { rows: files } = await ask<{ rows: CrossFile[] }>('/api/cross/items', {
      ...by,
      where: 'could >= outside && kind == "file"',
      at: '[null,null,null]',
      limit: 500,
    });
    expect(files).toHaveLength(cell(held, null, null, null)[0]!);
    expect(files.every((f) => TIERS.indexOf(f.could) >= TIERS.indexOf('outside') && f.kind === 'file')).toBe(
      true,
    );
  });

  it('refuses what cannot be asked in words', async () => {
    for (const [params, says] of [
      [{ by: 'weight,colour' }, 'by'],
      [{ by: 'weight', at: '[1' }, 'JSON array'],
      [{ by: 'weight', where: 'wieght > 2' }, 'Is “weight” meant?'],
    ] as const) {
      const refused = await scene.raw('GET', path('/api/cross/items', { at: '[null]', ...params }), {
        role: 'auditor',
      });
      expect(refused.status).toBe(422);
      expect(((await refused.json()) as { detail: string }).detail).toContain(says);
    }
  });
});

describe('a condition', () => {
  it('says the same in every table as its rows say', async () => {
    const { rows } = await findings();
    const wanted = rows.filter(
      (r) => r.weight >= 3 && TIERS.indexOf(r.could) >= 5 && r.summary.domains.length > 0,
    );
    const held = await findings({ where: 'weight >= 3 && could >= outside && size(domains) > 0' });
    expect(held.rows.map((r) => r.id)).toEqual(wanted.map((r) => r.id));
    expect(held.points).toBe(wanted.reduce((n, r) => n + r.points, 0));
    const list = await ask<HoldingPage>('/api/holdings', {
      list: 'true',
      where: 'exposed && weight >= 3 && could >= outside && size(domains) > 0',
    });
    expect(list.total).toBe(wanted.length);
    for (const [table, at] of [
      ['people?show=guests', 'heavy > 0'],
      ['outside', 'expected && files > 0'],
      ['causes', 'kind == "link"'],
      ['contents/files', 'certainty >= 80'],
      ['contents/unread', 'sizeBytes >= 0'],
      ['data-types', 'files > 0 && !custom'],
    ] as const) {
      const [p, q] = table.split('?');
      const more = Object.fromEntries(new URLSearchParams(q));
      type Rows = { rows: Record<string, unknown>[]; total?: number };
      const count = (page: Rows): number => page.total ?? page.rows.length;
      const all = await ask<Rows>(`/api/${p}`, more);
      const some = await ask<Rows>(`/api/${p}`, { ...more, where: at });
      const none = await ask<Rows>(`/api/${p}`, { ...more, where: `!(${at})` });
      expect([table, count(some) + count(none)]).toEqual([table, count(all)]);
      if (table === 'causes') expect(some.rows.every((r) => r.kind === 'link')).toBe(true);
    }
  });

  it('finds what was done on the ledger', async () => {
    const { rows: entries } = await ask<{ rows: { what: string; who: string }[] }>('/api/ledger', {
      where: 'what.startsWith("survey.") && who.endsWith("@tarntide.example")',
    });
    expect(entries.length).toBeGreaterThan(0);
    expect(entries.every((e) => e.what.startsWith('survey.') && e.who === 'steward@tarntide.example')).toBe(
      true,
    );
  });

  it('that cannot be read is refused, and says what is wrong', async () => {
    const refused = await scene.raw('GET', path('/api/findings', { where: 'points > "many"' }), {
      role: 'auditor',
    });
    expect(refused.status).toBe(422);
    expect(((await refused.json()) as { detail: string }).detail).toMatch(/cannot be read/);
    const long = await scene.raw(
      'GET',
      path('/api/filter', { table: 'findings', where: `name == "${'x'.repeat(2100)}"` }),
      { role: 'auditor' },
    );
    expect(long.status).toBe(422);
  });
});

describe('findings', () => {
  it('are in groups whose parts are the findings', async () => {
    const { rows, points } = await findings();
    const groups = async (by: string) =>
      (await ask<{ groups: FindingGroup[] }>('/api/findings/groups', { by })).groups;
    const spaces = await groups('space');
    expect(spaces.reduce((n, g) => n + g.findings, 0)).toBe(rows.length);
    expect(spaces.reduce((n, g) => n + g.points, 0)).toBe(points);
    const domains = await groups('domain');
    for (const g of domains.filter((d) => d.value)) {
      const held = await findings({ where: `${JSON.stringify(g.value)} in domains` });
      expect([g.value, held.total, held.points]).toEqual([g.value, g.findings, g.points]);
    }
    const causes = await groups('cause');
    for (const g of causes.slice(0, 8))
      expect((await findings({ where: `${JSON.stringify(g.value)} in through` })).total).toBe(g.findings);
  });

  it('are the same in short, but for what makes the reach too wide, and for domains beyond a few', async () => {
    const long = await findings({ sort: 'reach' });
    const short = await findings({ sort: 'reach', brief: 'true' });
    expect({ ...short, rows: short.rows.map((r) => r.id) }).toEqual({
      ...long,
      rows: long.rows.map((r) => r.id),
    });
    short.rows.forEach(({ summary: s }, n) => {
      const { domains, through } = long.rows[n]!.summary;
      expect(through.length).toBeGreaterThan(0);
      expect([s.through, s.lines]).toEqual([[], []]);
      expect(domains.slice(0, s.domains.length)).toEqual(s.domains);
      expect(s.domains.length + (s.domainsMore ?? 0)).toBe(domains.length);
    });
  });

  it('are accepted until a day, given and noted, all at once, with a trace; and open again', async () => {
    const { rows, open } = await findings();
    const ids = rows.slice(0, 5).map((r) => r.id);
    expect(await triage(ids, { act: 'accept', until: '2999-01-01', reason: 'Agreed with the yard' })).toEqual(
      { changed: 5 },
    );
    expect(await triage(ids.slice(0, 2), { act: 'give', to: 'steward@tarntide.example' })).toEqual({
      changed: 2,
    });
    await triage([ids[0]!], { act: 'note', note: '<b>Asked the yard</b>' });
    const after = await findings();
    expect([after.open, after.accepted]).toEqual([open - 5, 5]);
    const one = await ask<{ row: FindingRow; history: FindingEvent[] }>(`/api/findings/${ids[0]}`);
    expect(one.row).toMatchObject({
      state: 'accepted',
      accepted: { until: '2999-01-01', reason: 'Agreed with the yard' },
      assignee: 'steward@tarntide.example',
      notes: 1,
    });
    expect(one.history.map((h) => h.what)).toEqual(['note', 'given', 'accepted', 'opened']);
    expect((await findings({ state: 'all', where: 'assignee == "steward@tarntide.example"' })).total).toBe(2);
    const watch = await ask<WatchPage>('/api/watch');
    expect(watch.waiting).toEqual([]);
    // a survey in which nothing got worse leaves them accepted
    await scene.survey();
    expect((await findings()).accepted).toBe(5);
    expect(
      await triage(
        rows.slice(0, 7).map((r) => r.id),
        { act: 'reopen' },
      ),
    ).toEqual({ changed: 5 });
    expect((await findings()).open).toBe(open);
    const { rows: ledger } = await ask<{ rows: { what: string; after: { reason?: string } }[] }>(
      '/api/ledger',
      {
        text: 'findings.accept',
      },
    );
    expect(ledger[0]!.after.reason).toBe('Agreed with the yard');
  });

  it('are not decided of badly, and by a steward alone', async () => {
    const [row] = (await findings()).rows;
    for (const decision of [
      { act: 'accept', until: '2001-01-01', reason: 'too late' },
      { act: 'accept', until: '2999-01-01', reason: '' },
      { act: 'accept', until: 'soon', reason: 'some reason' },
      { act: 'give', to: 'nobody@tarntide.example' },
      { act: 'vanish' },
    ]) {
      const refused = await scene.raw('POST', '/api/findings/triage', {
        role: 'steward',
        body: { findings: [row!.id], decision },
      });
      expect([404, 422]).toContain(refused.status);
    }
    const auditor = await scene.raw('POST', '/api/findings/triage', {
      role: 'auditor',
      body: { findings: [row!.id], decision: { act: 'note', note: 'x' } },
    });
    expect(auditor.status).toBe(403);
    expect((await findings()).rows[0]).toEqual(row);
  });

  it('put what lets outsiders in into the tray, many at once', async () => {
    const outside = (await findings({ where: 'size(domains) > 0' })).rows;
    const {
      picked,
      findings: of,
      left,
    } = await scene.api<{ picked: number; findings: number; left: number }>('POST', '/api/findings/pick-up', {
      findings: outside.map((r) => r.id),
    });
    expect(of + left).toBe(outside.length);
    const tray = await scene.api<{
      list: object[];
      preview: { pointsBefore: number; pointsAfter: number; members: number };
    }>('GET', '/api/tray');
    expect(tray.list).toHaveLength(picked);
    expect(tray.preview.members).toBe(0);
    expect(tray.preview.pointsAfter).toBeLessThan(tray.preview.pointsBefore);
    await scene.emptyTray();
  });

  it('that got worse are not accepted any more, and the survey’s news says what is new', async () => {
    const { rows } = await findings();
    await triage(
      rows.map((r) => r.id),
      { act: 'accept', until: '2999-01-01', reason: 'For now' },
    );
    await scene.happenLater();
    await scene.survey('incremental');
    const after = await findings({ state: 'all' });
    const before = new Map(rows.map((r) => [r.id, r]));
    const worse = after.rows.filter((r) => {
      const was = before.get(r.id);
      return was && (r.points > was.points || TIERS.indexOf(r.could) > TIERS.indexOf(was.could));
    });
    const known = after.rows.filter((r) => before.has(r.id) && r.state !== 'fixed');
    expect(
      known
        .filter((r) => r.state !== 'accepted')
        .map((r) => r.id)
        .sort(),
    ).toEqual(worse.map((r) => r.id).sort());
    const watch = await ask<WatchPage>('/api/watch');
    const { sum } = watch;
    expect(sum.since).toBe(sum.survey - 1);
    const news = Object.fromEntries(sum.news!.map((n) => [n.kind, n]));
    const brighter = await ask<{ total: number }>('/api/changes', {
      from: sum.since!,
      change: 'brighter',
      kind: 'item',
      limit: 1,
    });
    expect(news.brighter!.count).toBe(brighter.total);
    expect(news['open-links']!.count).toBe(1);
    expect(watch.history.at(-1)).toMatchObject({ survey: sum.survey, points: sum.points });
    expect(watch.open).toBe(after.rows.filter((r) => r.state === 'open').length);
    for (const row of watch.costliest) {
      const fix = await ask<Fix | null>('/api/findings/fix', { finding: row.id });
      if (fix) expect(fix.closes).toBeLessThanOrEqual(row.points);
    }
    // what the matrix says lies beyond what its weight allows are the findings
    const allowed = ['public', 'partner', 'organisation', 'wide', 'team'];
    const items = sum.matrix.cells
      .filter((c) => c.at[0] !== null && c.at[1] !== null)
      .reduce((n, c) => {
        const [w, t] = c.at.map((v, k) => sum.matrix.values[k]![v!]!);
        return (
          n +
          (TIERS.indexOf(t as 'sole') > TIERS.indexOf(allowed[Number(w)] as 'sole')
            ? c.values[sum.matrix.measures.indexOf('items')]!
            : 0)
        );
      }, 0);
    expect(items).toBe(sum.findings);
  });
});

describe('the least change', () => {
  interface Tray {
    preview: {
      members: number;
      guests: number;
      outsiders: number;
      pointsBefore: number;
      pointsAfter: number;
    };
  }
  it('for many findings is proven, hurts whom the preview of its plan says, and closes what it says', async () => {
    const rows = (await findings({ state: 'all', where: 'size(domains) > 0 && state != "fixed"' })).rows;
    const items = rows.map(({ source, item }) => ({ source, item }));
    const ask1 = (more: object) =>
      scene.api<CutPage>('POST', '/api/cuts', { items, keepOut: { outside: true }, ...more }, 'auditor');
    const page = await ask1({ plannable: true });
    if (!page.met) throw new Error(page.prevents.join(' → '));
    const [least] = page.cuts;
    expect(least!.changes.every((c) => c.planned && !c.cannot)).toBe(true);
    await scene.api('POST', '/api/tray', {
      changes: least!.changes.map(({ planned }) => planned),
    });
    const tray = await scene.api<Tray>('GET', '/api/tray');
    expect([tray.preview.members, tray.preview.guests + tray.preview.outsiders]).toEqual([
      least!.members,
      least!.external,
    ]);
    expect(tray.preview.pointsBefore - tray.preview.pointsAfter).toBe(least!.closes);
    await scene.emptyTray();
    // with every kind of change it costs no more
    const free = await ask1({});
    if (!free.met) throw new Error('not met');
    expect(free.cuts[0]!.cost).toBeLessThanOrEqual(least!.cost);
    // pinning all that it wants leaves another way, or says what prevents it
    const pinned = await ask1({ pinned: free.cuts[0]!.changes.map((c) => c.change) });
    if (pinned.met)
      for (const c of pinned.cuts)
        expect(
          c.changes.some((x) =>
            free.cuts[0]!.changes.some((y) => JSON.stringify(x.change) === JSON.stringify(y.change)),
          ),
        ).toBe(false);
    else expect(pinned.prevents.length).toBeGreaterThan(0);
  });

  it('is not there for what nobody knows, and is refused where it is no goal', async () => {
    const [row] = (await findings({ state: 'all' })).rows;
    const items = [{ source: row!.source, item: row!.item }];
    const unknown = await scene.raw('POST', '/api/cuts', {
      role: 'auditor',
      body: { items, keepOut: { identity: 'nobody@nowhere.test' } },
    });
    expect(unknown.status).toBe(404);
    const bad = await scene.raw('POST', '/api/cuts', {
      role: 'auditor',
      body: { items, keepOut: { everybody: true } },
    });
    expect(bad.status).toBe(422);
  });

  it('is known by its question only while it is worked out, and can be stopped by it', async () => {
    const asked = randomUUID();
    expect(await scene.api('GET', `/api/cuts?asked=${asked}`, undefined, 'auditor')).toBeNull();
    expect(await scene.api('DELETE', '/api/cuts', { asked }, 'auditor')).toEqual({ stopped: false });
    // asked and stopped again and again: it answers, or it is gone, and the next one is not held up
    const rows = (await findings({ state: 'all' })).rows;
    const items = rows.map(({ source, item }) => ({ source, item }));
    for (let turn = 0; turn < 8; turn++) {
      const answer = scene.raw('POST', '/api/cuts', {
        role: 'auditor',
        body: { items, keepOut: { outside: true }, asked },
      });
      const { stopped } = await scene.api<{ stopped: boolean }>('DELETE', '/api/cuts', { asked }, 'auditor');
      expect((await answer).status).toBe(stopped ? 404 : 200);
    }
    expect(await scene.api('GET', `/api/cuts?asked=${asked}`, undefined, 'auditor')).toBeNull();
  });
});

describe('kept views', () => {
  it('are one’s own unless shared, and only their keeper drops them', async () => {
    const view = {
      name: 'Heavy & outside',
      path: '/exposure/findings',
      search: '?where=weight+%3E%3D+3',
      shared: false,
    };
    await scene.api('POST', '/api/views', view);
    expect(await ask<SavedView[]>('/api/views', {}, 'auditor')).toEqual([]);
    await scene.api('POST', '/api/views', { ...view, search: '?where=weight+%3E%3D+4', shared: true });
    const [shared] = await ask<SavedView[]>('/api/views', {}, 'auditor');
    expect(shared).toMatchObject({
      name: view.name,
      search: '?where=weight+%3E%3D+4',
      by: 'steward@tarntide.example',
    });
    await scene.api('DELETE', '/api/views', { id: shared!.id }, 'auditor');
    expect(await ask<SavedView[]>('/api/views')).toHaveLength(1);
    await scene.api('DELETE', '/api/views', { id: shared!.id });
    expect(await ask<SavedView[]>('/api/views')).toEqual([]);
    const refused = await scene.raw('POST', '/api/views', {
      role: 'steward',
      body: { ...view, path: '//evil.test' },
    });
    expect(refused.status).toBe(422);
  });
});

describe('tables exported', () => {
  const take = (params: Record<string, string>) =>
    scene.raw('GET', path('/api/export', params), { role: 'auditor' });

  it('as a workbook hold every row, and no formula though a file is named like one', async () => {
    const [row] = (await findings({ state: 'all', where: 'name.endsWith(".pem")' })).rows;
    const item = await scene.truth<{ id: string }>('items', row!.item);
    await scene.setTruth('items', { ...item, name: HOSTILE });
    await scene.survey();
    const response = await take({ table: 'findings', format: 'xlsx', state: 'all' });
    const book = new exceljs.Workbook();
    await book.xlsx.load(await response.arrayBuffer());
    const sheet = book.getWorksheet('findings')!;
    expect(sheet.rowCount - 1).toBe((await findings({ state: 'all' })).total);
    const names = sheet.getColumn((sheet.getRow(1).values as string[]).indexOf('file')).values;
    expect(names).toContain(HOSTILE);
    sheet.eachRow((r) => r.eachCell((c) => expect(c.type).not.toBe(exceljs.ValueType.Formula)));
    const csv = await (await take({ table: 'findings', format: 'csv', state: 'all' })).text();
    expect(csv).toContain(`"'=HYPERLINK(""http://evil.test""`);
  });

  /** Where each table is seen, and what it can be asked with: every key of its schema at least once. */
  const SEEN: Record<TableName, { at: string; asked: Record<string, string>[] }> = {
    findings: {
      at: '/api/findings',
      asked: [
        { state: 'all', sort: 'weight.up,name' },
        { kind: 'exposure' },
        { severity: 'critical' },
        { text: 'crew' },
        { space: 'Crewing' },
        { source: 'drives' },
        { where: 'weight >= 3' },
      ],
    },
    causes: { at: '/api/causes', asked: [{}, { text: 'link' }, { where: 'points > 5' }, { asOf: 'first' }] },
    contents: {
      at: '/api/contents',
      asked: [
        { byWorkspace: 'true' },
        { pack: 'payment-data' },
        { ws: 'drives' },
        { certainty: '80' },
        { text: 'crew' },
        { where: 'weight >= 3' },
        { asOf: 'first' },
      ],
    },
    'content-files': {
      at: '/api/contents/files',
      asked: [
        { sort: 'name.down' },
        { type: 'card' },
        { pack: 'payment-data' },
        { ws: 'sites' },
        { certainty: '80' },
        { tier: 'outside' },
        { text: 'crew' },
        { where: 'weight >= 3' },
        { asOf: 'first' },
      ],
    },
    unread: {
      at: '/api/contents/unread',
      asked: [{}, { ws: 'drives' }, { text: 'zip' }, { where: 'now >= team' }, { asOf: 'first' }],
    },
    apps: {
      at: '/api/apps',
      asked: [
        { sort: 'heavy.down,name' },
        { show: 'unverified' },
        { text: 'planner' },
        { ws: 'sites' },
        { where: 'points > 0' },
        { asOf: 'first' },
      ],
    },
    outside: {
      at: '/api/outside',
      asked: [
        { sort: 'shares.down,people.up' },
        { show: 'unknown' },
        { text: 'port' },
        { where: 'points > 0' },
        { asOf: 'first' },
      ],
    },
    spaces: {
      at: '/api/spaces',
      asked: [
        { of: 'dormant', sort: 'weight.down,name' },
        { of: 'dormant', show: 'kept' },
        { of: 'ownerless', text: 'a' },
        { of: 'charters', show: 'none', kind: 'team' },
        { of: 'charters', sensitivity: 'internal' },
        { of: 'charters', where: 'idleDays >= 30' },
      ],
    },
    answers: { at: '/api/rounds/answers', asked: [{ round: '1' }, { round: '1', text: 'nothing like it' }] },
    holdings: {
      at: '/api/holdings',
      asked: [
        { list: 'true', sort: 'weight.down' },
        { list: 'true', kind: 'file', weight: '2', tier: 'partner' },
        { list: 'true', domain: 'payhelp.test' },
        { list: 'true', text: 'crew', only: 'exposed' },
        { list: 'true', where: 'weight >= 2', parent: 'workspace:drives:drives' },
        { list: 'true', owner: 'u1', asOf: 'first' },
      ],
    },
    people: {
      at: '/api/people',
      asked: [
        { show: 'guests', sort: 'items.down,name.down' },
        { text: 'port' },
        { where: 'members > 20' },
        { asOf: 'first' },
      ],
    },
    changes: {
      at: '/api/changes',
      asked: [
        { from: 'first' },
        { from: 'first', to: 'first' },
        { from: 'first', change: 'brighter', sort: 'name.down' },
        { from: 'first', kind: 'item', source: 'drives', text: 'crew' },
        { from: 'first', where: 'gained > 0' },
        { from: 'first', by: 'no such cause' },
      ],
    },
    cross: {
      at: '/api/cross',
      asked: [
        { by: 'weight,reach', measures: 'files' },
        { by: 'weight,reach', where: 'weight >= 2', ws: 'drives', space: 'Crewing', asOf: 'first' },
      ],
    },
    'cross-files': {
      at: '/api/cross/items',
      asked: [
        { by: 'weight,reach', at: '["4",null]', measures: 'files', where: 'weight >= 2' },
        { by: 'label', at: '[null]', ws: 'sites', space: 'Crewing', asOf: 'first' },
      ],
    },
    plans: { at: '/api/plans', asked: [{}, { text: 'a', where: 'size > 0' }] },
    quarantine: { at: '/api/quarantine', asked: [{}] },
    hits: {
      at: '/api/policies/hits',
      asked: [{}, { policy: '1', rule: 'r1', state: 'all' }, { text: 'crew' }],
    },
    decisions: {
      at: '/api/decisions',
      asked: [{}, { policy: '1', outcome: 'refused' }, { text: 'crew' }],
    },
    events: {
      at: '/api/events/list',
      asked: [
        {},
        { type: 'file.opened' },
        { since: '2026-01-01T00:00:00Z', until: '2026-02-01T00:00:00+01:00' },
        { actor: 'user:ada' },
        { node: 'item:drives:i1' },
        { signal: '1' },
        { hour: '9', weekday: '1', zone: 'Europe/Oslo' },
        { text: 'crew' },
        { where: 'outside && weight >= 2' },
      ],
    },
    signals: {
      at: '/api/signals',
      asked: [{}, { state: 'all' }, { pattern: '1' }, { text: 'nothing like it' }],
    },
    runs: {
      at: '/api/orders/runs',
      asked: [{}, { show: 'all' }, { order: '1' }, { key: 'item:drives:none' }, { text: 'nothing like it' }],
    },
    messages: {
      at: '/api/messages',
      asked: [{}, { state: 'failed' }, { kind: 'order' }, { text: 'nothing like it' }],
    },
    'data-types': { at: '/api/data-types', asked: [{}, { where: 'weight >= 3' }] },
    ledger: {
      at: '/api/ledger',
      asked: [{ down: 'false' }, { text: 'survey' }, { where: 'who == "steward@tarntide.example"' }],
    },
  };

  it.each(TABLES)('%s as a file is what the view shows, whatever it is held to', async (table) => {
    const { at, asked } = SEEN[table];
    if (table === 'hits') {
      const { policy } = STARTERS.find((s) => s.id === 'owners')!;
      await scene.api('POST', '/api/policies', { policy });
      await until('the policy to be judged', async () => (await ask<{ total: number }>(at)).total > 0, 60);
    }
    if (table === 'answers') {
      const round = { name: 'What for', kind: 'charter', where: 'kind == "team"' };
      await scene.api('POST', '/api/rounds', { round });
      await until(
        'owners to be asked',
        async () => (await ask<{ total: number }>(at, { round: '1' })).total > 0,
        60,
      );
    }
    if (table === 'signals')
      await scene.api('POST', '/api/signals/patterns', {
        name: 'Refused',
        severity: 'low',
        window: { by: 'type', distinct: 'id', count: 1, within: 'PT1H' },
      });
    const ofOrders = table === 'runs' || table === 'messages';
    if (ofOrders)
      await scene.api('POST', '/api/orders', {
        order: {
          format: 'gate-lantern-order',
          version: 1,
          name: `For ${table}`,
          severity: 'high',
          on: true,
          when: { event: ['decision.refused'] },
          steps: [
            {
              do: 'tell',
              to: [{ address: `${table}@tarntide.example` }],
              subject: 'Refused',
              text: 'It was.',
            },
          ],
        },
      });
    if (table === 'decisions' || table === 'signals' || ofOrders) {
      const { token } = await scene.api<{ token: string }>('POST', '/api/decisions/asking', {
        source: 'drives',
      });
      const spaces = await scene.truth<{ id: string; workspace: string }[]>('spaces');
      const inDrives = new Set(spaces.flatMap((s) => (s.workspace === 'drives' ? s.id : [])));
      const items = await scene.truth<{ id: string; space: string }[]>('items');
      const item = items.find((i) => inDrives.has(i.space));
      const question = {
        subject: { type: 'user', id: `${table}@elsewhere.example` },
        resource: { type: 'file', id: item!.id },
        action: { name: 'open' },
      };
      await scene.raw('POST', '/access/v1/evaluation', {
        headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
        body: question,
      });
      await until(
        'it to be recorded',
        async () => (await ask<{ total: number }>(at, table === 'runs' ? { show: 'over' } : {})).total > 0,
        60,
      );
    }
    const first = (await ask<{ id: number; state: string }[]>('/api/surveys'))
      .filter((x) => x.state === 'done')
      .at(-1)!.id;
    const known = Object.keys(TABLE_QUERIES[table].shape);
    expect(new Set(asked.flatMap((q) => Object.keys(q)))).toEqual(
      new Set(known.filter((k) => k !== 'at' || table === 'cross-files')),
    );
    const counts: number[] = [];
    for (const one of asked) {
      const q = Object.fromEntries(
        Object.entries(one).map(([k, v]) => [k, v === 'first' ? String(first) : v]),
      );
      // the ledger grows by what is exported
      const page = await ask<{ rows?: object[]; cells?: object[]; total?: number }>(at, { ...q, limit: 500 });
      const file = await take({ table, format: 'jsonl', ...q });
      const words = `${table} ${JSON.stringify(q)}`;
      expect(file.status, words).toBe(200);
      const lines = (await file.text())
        .split('\n')
        .filter(Boolean)
        .map((l) => JSON.parse(l) as Record<string, unknown>);
      const shown = page.rows ?? page.cells!;
      counts.push(shown.length);
      if (table === 'ledger')
        expect(
          lines
            .slice(0, 5)
            .map((l) => l.seq)
            .sort(),
          words,
        ).toEqual(
          q.down
            ? (shown as { seq: number }[])
                .slice(0, 5)
                .map((r) => r.seq)
                .sort()
            : expect.anything(),
        );
      else expect(lines.length, words).toBe(page.total ?? shown.length);
    }
    // what is held to something is less than all, somewhere
    if (!['quarantine', 'plans', 'unread'].includes(table))
      expect(new Set(counts).size, `${table}: ${counts.join(', ')}`).toBeGreaterThan(1);
    const refused = await take({ table, format: 'csv', madeUp: 'x' });
    expect(refused.status).toBe(422);
    expect(await refused.text()).toContain('madeUp');
  });

  it('hold the numbers over files to what holds of the files', async () => {
    const where = 'weight >= 2 && could >= outside';
    const types = await ask<{ files: number }>('/api/contents', { where });
    const files = await ask<{ total: number }>('/api/contents/files', { where, limit: 1 });
    expect(types.files).toBe(files.total);
    expect(files.total).toBeGreaterThan(0);
    const refused = await take({ table: 'contents', format: 'csv', where: 'weight >' });
    expect(refused.status).toBe(422);
  });

  /** What OCSF asks of a Data Security Finding (schema.ocsf.io, class 2006; from memory). */
  const OCSF = z.array(
    z
      .object({
        category_uid: z.literal(2),
        class_uid: z.literal(2006),
        activity_id: z.union([z.literal(1), z.literal(2), z.literal(3)]),
        type_uid: z.number().int(),
        severity_id: z.number().int().min(0).max(6),
        status_id: z.number().int().min(0).max(4),
        time: z.number().int().positive(),
        metadata: z.object({
          version: z.string(),
          product: z.object({ vendor_name: z.string(), name: z.string() }),
        }),
        finding_info: z.object({
          uid: z.string(),
          title: z.string(),
          created_time: z.number().int().optional(),
        }),
        data_security: z.object({ data_lifecycle_state_id: z.number().int() }),
        resources: z.array(z.object({ uid: z.string() })).min(1),
      })
      .refine((e) => e.type_uid === e.class_uid * 100 + e.activity_id),
  );

  it('as OCSF are events of their class, one for each finding, with no raw value', async () => {
    const text = await (await take({ table: 'findings', format: 'ocsf', state: 'all' })).text();
    const events = OCSF.parse(JSON.parse(text));
    const { rows } = await findings({ state: 'all' });
    expect(events.map((e) => e.finding_info.uid)).toEqual(rows.map((r) => `gate-lantern:finding:${r.id}`));
    expect(text).not.toMatch(/-----BEGIN|\b4[0-9]{15}\b|[A-Z]{2}\d{2}[A-Z0-9]{11,}/);
    const refused = await take({ table: 'outside', format: 'ocsf' });
    expect(refused.status).toBe(422);
  });
});
