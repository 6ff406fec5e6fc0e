/** Access over three workspaces: surveys of what changed, as of any survey, who and what and why, extracts in and out. */
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { dice } from '../../demo/make.ts';
import { makeWorld } from '../../demo/world.ts';
import type { AppPage, AppRowDto } from '../../src/dto/apps.ts';
import type {
  ChangeDossier,
  ChangesPage,
  HoldingPage,
  IdentityDossier,
  IdentityPage,
  NodeDossier,
  RouteGraph,
  WhoRow,
  WhyDto,
} from '../../src/dto/access.ts';
import { Scene, until, type SurveyRow } from './harness.ts';

const scene = new Scene();
beforeAll(async () => {
  await scene.upSurveyed();
  [{ id: first }] = await scene.api<[SurveyRow]>('GET', '/api/surveys');
});
afterAll(() => scene.down());

const ask = <T>(path: string, params: Record<string, string | number> = {}) =>
  scene.api<T>(
    'GET',
    `${path}?${new URLSearchParams(Object.entries(params).map(([k, v]) => [k, String(v)]))}`,
  );
const keyOf = async (name: string): Promise<string> => {
  const found = await ask<{ key: string; name: string }[]>('/api/search', { text: name });
  return found.find((f) => f.name === name)!.key;
};
let first: number;

describe('a survey of what changed', () => {
  it('reads only that, and shows what got brighter and by which change', async () => {
    await scene.happenLater();
    const survey = await scene.survey('incremental');
    // a grant taken away, a link made, a group and a space altered
    expect(survey).toMatchObject({ state: 'done', failures: 0, added: 1, altered: 2, removed: 1 });
    expect(survey.steps.find((s) => s.name === 'what changed')!.done).toBe(3);
    const changes = await ask<ChangesPage>('/api/changes', { from: first, limit: 500 });
    const named = (name: string) => changes.rows.find((r) => r.name === name)!;
    expect(named('Crew next-of-kin list.csv')).toMatchObject({
      change: 'brighter',
      before: { now: 'team', could: 'team' },
      after: { now: 'team', could: 'public' },
      by: expect.stringContaining('sharing link') as string,
    });
    expect(named('Payroll run 2026-03.csv')).toMatchObject({ change: 'brighter', gained: 1, lost: 0 });
    expect(named('Kiosk settlement.pdf')).toMatchObject({ change: 'darker', after: { now: 'organisation' } });
    expect(changes.counts.brighter + changes.counts.darker + changes.counts.same).toBe(changes.total);
    const one = await ask<ChangeDossier>('/api/changes/one', {
      from: first,
      node: named('Payroll run 2026-03.csv').key,
    });
    expect(one.gained.map((p) => p.address)).toEqual(['temp@payhelp.test']);
    expect(one.by).toHaveLength(1);
    // the same question the other way about
    const back = await ask<ChangesPage>('/api/changes', { from: survey.id, to: first, limit: 1 });
    expect(back.counts).toMatchObject({ brighter: changes.counts.darker, darker: changes.counts.brighter });
  });

  it('comes to the same as reading everything, whatever changed', async () => {
    const d = dice(7);
    const world = makeWorld();
    const rows = <T extends { id: string }>(kind: string) => scene.truth<T[]>(kind);
    for (let round = 0; round < 3; round++) {
      const [grants, links, items, spaces, groups] = await Promise.all([
        rows<{ id: string; role: string }>('grants'),
        rows<{ id: string; audience: string }>('links'),
        rows<{ id: string; space: string; name: string }>('items'),
        rows<{ id: string; workspace: string }>('spaces'),
        rows<{ id: string; members: { value: string; type: string }[] }>('groups'),
      ]);
      const user = () => d.pick(world.users).id;
      for (let n = 0; n < 20; n++) {
        const what = d.int(9);
        // what is in a channel has no grants and links of its own
        const item = d.pick(items.filter((i) => !i.space.startsWith('ch')));
        const grant = d.pick(grants);
        if (what === 0) await scene.removeTruth('grants', encodeURIComponent(grant.id));
        else if (what === 1 && !grant.id.includes('/'))
          await scene.setTruth('grants', { ...grant, role: d.pick(['reader', 'editor']) });
        else if (what === 2)
          await scene.setTruth('grants', {
            id: `new-${round}-${n}`,
            on: { item: item.id },
            to: { user: user() },
            role: 'reader',
          });
        else if (what === 3)
          await scene.setTruth('links', {
            ...d.pick(links),
            id: `nl-${round}-${n}`,
            on: { item: item.id },
            redeemedBy: [{ user: user() }],
          });
        else if (what === 4) await scene.setTruth('items', { ...item, name: `renamed ${round} ${n}.txt` });
        else if (what === 5) await scene.removeTruth('items', item.id);
        else if (what === 6)
          await scene.setTruth('items', {
            id: `ni-${round}-${n}`,
            space: item.space,
            kind: 'file',
            name: 'key.pem',
          });
        else if (what === 7) {
          const space = d.pick(spaces.filter((s) => s.workspace === 'sites'));
          await scene.setTruth('spaces', {
            ...space,
            externalSharing: d.pick(['off', 'new-guests', 'anyone']),
          });
        } else {
          const group = d.pick(groups);
          await scene.setTruth('groups', {
            ...group,
            members: [...group.members, { value: user(), type: 'User' }],
          });
        }
      }
      expect((await scene.survey('incremental')).state).toBe('done');
      expect(await scene.survey()).toMatchObject({ state: 'done', added: 0, altered: 0, removed: 0 });
    }
  });

  it('says so when the workspace knows the change token no more, and leaves the last good survey in force', async () => {
    const before = await scene.api<{ survey: { id: number } }>('GET', '/api/course');
    await scene.setTruth('items', {
      ...(await scene.truth<{ id: string }[]>('items'))[0]!,
      name: 'after.txt',
    });
    await scene.forget();
    expect(await scene.survey('incremental')).toMatchObject({
      state: 'failed',
      reason: expect.stringContaining('Survey everything') as string,
    });
    expect((await scene.api<{ survey: { id: number } }>('GET', '/api/course')).survey.id).toBe(
      before.survey.id,
    );
    expect((await scene.survey()).altered).toBe(1);
    expect((await scene.survey('incremental')).state).toBe('done');
  });
});

describe('questions about access', () => {
  it('are answered as of any survey', async () => {
    const node = await keyOf('Crew next-of-kin list.csv');
    const then = await ask<NodeDossier>('/api/holdings/node', { node, asOf: first });
    const now = await ask<NodeDossier>('/api/holdings/node', { node });
    expect([then.survey, then.reach.could.tier, now.reach.could.tier]).toEqual([first, 'team', 'public']);
    const latest = await ask<NodeDossier>('/api/holdings/node', { node, asOf: now.survey });
    expect(latest).toEqual(now);
    expect(
      (await scene.raw('GET', `/api/holdings/node?node=${node}&asOf=99999`, { role: 'auditor' })).status,
    ).toBe(404);
  });

  it('know one person by one identity over all workspaces', async () => {
    const guests = await ask<IdentityPage>('/api/people', {
      show: 'guests',
      text: 'planning@kelda-yard.example',
    });
    expect(guests.rows).toHaveLength(1);
    const one = await ask<IdentityDossier>('/api/people/one', { key: guests.rows[0]!.key, asOf: first });
    expect(new Set(one.what.spaces.map((s) => s.workspace))).toEqual(
      new Set(['Tarn & Tide Drives', 'Tarn & Tide Channels']),
    );
    // known to the channels alone
    const helper = await ask<IdentityPage>('/api/people', {
      show: 'guests',
      text: 'casey@claims-helper.test',
    });
    expect(helper.rows).toHaveLength(1);
  });

  it('agree with each other: who, what, why, the drawing, and what if', async () => {
    for (const name of [
      'bridge-vpn.key',
      'Disputes of August.eml',
      'Salary review by grade.docx',
      'Dispute evidence 2.docx',
    ]) {
      const node = await keyOf(name);
      const who = await ask<{ rows: WhoRow[]; total: number }>('/api/holdings/who', { node, limit: 500 });
      const graph = await ask<RouteGraph>('/api/holdings/graph', { node });
      expect(graph.people, name).toBe(who.total);
      const some = [who.rows[0]!, who.rows[who.rows.length >> 1]!, who.rows[who.rows.length - 1]!];
      for (const { person, capabilities } of some) {
        const why = await ask<WhyDto>('/api/holdings/why', { node, identity: person.id });
        expect(why.capabilities).toEqual(capabilities);
        expect(why.routes.length).toBeGreaterThan(0);
        const key = person.kind === 'outsider' ? `outsider:${person.id}` : `user:${person.id}`;
        let reached = false;
        for (let offset = 0; !reached && offset < 5000; offset += 500) {
          const page = await ask<{ rows: { key: string }[]; total: number }>('/api/people/what', {
            key,
            limit: 500,
            offset,
          });
          reached = page.rows.some((r) => r.key === node);
          if (page.rows.length < 500) break;
        }
        expect(reached, `${person.id} reaches ${name}`).toBe(true);
      }
      // what the drawing says a cut costs is what the preview says of the same withdrawal
      for (const n of graph.nodes.filter((x) => x.entries).slice(0, 4)) {
        const preview = await scene.api<{ people: { id: string }[] }>('POST', '/api/holdings/what-if', {
          changes: n.entries!.map(({ kind, source, id }) => ({ kind, source, id })),
        });
        const cut = graph.edges.find((e) => e.from === n.id)!.cut!;
        const lose = new Set(preview.people.map((p) => p.id));
        expect(cut, `${name}: ${n.label}`).toBeLessThanOrEqual(lose.size);
        const after = who.rows.filter((r) => !lose.has(r.person.id)).length;
        expect(after + cut).toBeLessThanOrEqual(who.total);
      }
    }
  });

  it('say step by step what keeps somebody out', async () => {
    const board = await keyOf('Sale of the Heron Tide.docx');
    const crew =
      (await ask<IdentityPage>('/api/people', { show: 'members', text: 'able seaman', limit: 1 })).rows[0] ??
      (await ask<IdentityPage>('/api/people', { show: 'members', text: 'Crew', limit: 1 })).rows[0]!;
    const why = await ask<WhyDto>('/api/holdings/why', {
      node: board,
      identity: crew.key.slice('user:'.length),
    });
    expect(why.capabilities).toEqual([]);
    expect(why.keeps.map((k) => k.by)).toContain('gate');
  });

  it('count a team of several spaces once', async () => {
    const roots = await ask<HoldingPage>('/api/holdings', {});
    const sites = roots.rows.find((r) => r.name === 'Tarn & Tide Sites')!;
    const spaces = await ask<HoldingPage>('/api/holdings', { parent: sites.key, limit: 500 });
    const files = await ask<HoldingPage>('/api/holdings', {
      parent: sites.key,
      list: 'true',
      kind: 'file',
      limit: 1,
    });
    expect(spaces.rows.some((r) => r.spaceKind === 'mailbox' || r.spaceKind === 'channel')).toBe(false);
    expect(spaces.rows.reduce((n, r) => n + r.files, 0)).toBe(files.total);
    expect(sites.files).toBe(files.total);
    const team = spaces.rows.find((r) => r.name === 'Crew team')!;
    const parts = await ask<HoldingPage>('/api/holdings', { parent: team.key, limit: 500 });
    expect(
      parts.rows
        .filter((r) => r.kind === 'space')
        .map((r) => r.spaceKind)
        .sort(),
    ).toEqual(['channel', 'mailbox']);
  });
});

describe('an extract', () => {
  it('goes out as a zip, is judged by gl as here, and comes in again as a source', async () => {
    const response = await scene.raw('GET', '/api/extracts', { role: 'auditor' });
    const zip = join(scene.home, 'out.zip');
    writeFileSync(zip, Buffer.from(await response.arrayBuffer()));
    const gl = (...args: string[]) => {
      const run = spawnSync(process.execPath, ['dist/app/gl.mjs', ...args], {
        encoding: 'utf8',
        maxBuffer: 1 << 28,
      });
      expect(run.status, run.stderr).toBe(0);
      return run.stdout
        .split('\n')
        .filter(Boolean)
        .map((l) => JSON.parse(l) as Record<string, never>);
    };
    const told = gl('reach', zip) as unknown as { item: string; now: { tier: string } }[];
    const items = await scene.truth<unknown[]>('items');
    expect(told).toHaveLength(items.length);
    const outside = told
      .filter((t) => t.now.tier === 'outside')
      .map((t) => `item:${t.item}`)
      .sort();
    const here: string[] = [];
    for (let offset = 0; ; offset += 500) {
      const page = await ask<HoldingPage>('/api/holdings', {
        list: 'true',
        tier: 'outside',
        limit: 500,
        offset,
      });
      here.push(...page.rows.filter((r) => r.kind !== 'space' && r.now === 'outside').map((r) => r.key));
      if (page.rows.length < 500) break;
    }
    expect(here.sort()).toEqual(outside);

    // apps and what they could read, too
    const apps = gl('apps', zip) as unknown as Pick<AppRowDto, 'people' | 'everyone' | 'items'>[];
    const { rows } = await ask<AppPage>('/api/apps', { limit: 500 });
    const said = (list: typeof apps, id: (a: never) => string) =>
      list.map((a) => `${id(a as never)} ${a.people} ${a.everyone} ${a.items}`).sort();
    expect(said(apps, (a: { app: string }) => a.app)).toEqual(said(rows, (a: AppRowDto) => a.key));
    expect(rows.some((a) => a.items > 0)).toBe(true);

    // copied once and copied again it is the same to the letter
    const [a, b] = [join(scene.home, 'a'), join(scene.home, 'b')];
    gl('copy', zip, a);
    gl('copy', a, b);
    const diff = spawnSync('diff', ['-r', a, b], { encoding: 'utf8' });
    expect(diff.stdout).toBe('');
    expect(gl('diff', zip, b)).toEqual([]);

    const other = new Scene({ bare: true });
    try {
      await other.up();
      const code = await until('the code', () =>
        Promise.resolve(/steward: (\S+)/.exec(other.output.join('\n'))?.[1]),
      );
      await other.raw('POST', '/api/first-steward', {
        body: { code, name: 'S', address: 'steward@tarntide.example', password: 'lantern-steward' },
      });
      const { id } = await other.api<{ id: string }>('POST', '/api/extracts');
      const put = async (name: string, body: Buffer | string) =>
        fetch(`${other.base}/api/extracts/${id}?name=${encodeURIComponent(name)}`, {
          method: 'PUT',
          headers: { origin: other.base, cookie: await other.cookieOf('steward') },
          body: new Uint8Array(Buffer.from(body)),
        });
      expect((await put('../../escape.jsonl', 'x')).status).toBe(422);
      expect(
        (await put('extract.zip', Buffer.from((await import('node:fs')).readFileSync(zip)))).status,
      ).toBe(200);
      const { survey } = await other.api<{ survey: number }>('POST', `/api/extracts/${id}`);
      expect(await other.surveyEnd(survey)).toMatchObject({ state: 'done', failures: 0 });
      const page = await other.api<HoldingPage>(
        'GET',
        '/api/holdings?list=true&tier=outside&kind=file&limit=500',
      );
      const mine = await ask<HoldingPage>('/api/holdings', {
        list: 'true',
        tier: 'outside',
        kind: 'file',
        limit: 500,
      });
      expect(page.total).toBe(mine.total);

      // what is no extract leaves nothing behind and says what is wrong
      const bad = await other.api<{ id: string }>('POST', '/api/extracts');
      await fetch(`${other.base}/api/extracts/${bad.id}?name=x.zip`, {
        method: 'PUT',
        headers: { origin: other.base, cookie: await other.cookieOf('steward') },
        body: 'not a zip',
      });
      const refused = await other.raw('POST', `/api/extracts/${bad.id}`, { role: 'steward' });
      expect(refused.status).toBe(422);
      expect(((await refused.json()) as { detail: string }).detail).not.toContain(other.home);
    } finally {
      await other.down();
    }
  });
});
