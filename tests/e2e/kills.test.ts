/**
 * The application killed again and again, at random moments, while two plans work on the same things
 * through workspaces that fail. After each restart every change must be known, none done twice, and what
 * the stand-ins have must be what the store says. A few rounds here; `npm run soak` does hundreds.
 */
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { dice } from '../../demo/make.ts';
import { hasFields, memberId, type PlannedChange } from '../../src/core/remedy/plan.ts';
import type { PlanDetail } from '../../src/dto/remedy.ts';
import type { FaultRule } from '../../standins/faults.ts';
import { SERVER } from '../own-db.ts';
import { Scene, until, type Role } from './harness.ts';

const ROUNDS = Number(process.env.GATE_LANTERN_KILL_ROUNDS ?? 2);
const SEED = Number(process.env.GATE_LANTERN_SEED ?? 20261127);
const d = dice(SEED);

interface Row {
  id: string;
  [field: string]: unknown;
}
const KINDS = ['spaces', 'items', 'grants', 'links', 'users', 'groups'] as const;
const everything = async (scene: Scene) =>
  Object.fromEntries(
    await Promise.all(
      KINDS.map(async (k) => [
        k,
        Object.fromEntries(
          (await scene.truth<Row[]>(k)).map((r) => [
            r.id,
            k === 'groups'
              ? { ...r, members: (r.members as { value: string }[]).map((m) => m.value).sort() }
              : r,
          ]),
        ),
      ]),
    ),
  ) as Record<(typeof KINDS)[number], Record<string, Row>>;

/** Changes drawn from all kinds that the drives and the directory can make. */
async function some(scene: Scene, n: number): Promise<PlannedChange[]> {
  const [spaces, items, grants, links, groups] = await Promise.all(
    (['spaces', 'items', 'grants', 'links', 'groups'] as const).map((k) => scene.truth<Row[]>(k)),
  );
  const drives = new Set(spaces!.filter((s) => s.workspace === 'drives').map((s) => s.id));
  const inDrives = new Set(items!.filter((i) => drives.has(i.space as string)).map((i) => i.id));
  const on = (r: Row): boolean => {
    const at = r.on as { space?: string; item?: string };
    return at.space ? drives.has(at.space) : inDrives.has(at.item!);
  };
  const pick = (list: Row[]): Row => list[d.int(list.length)]!;
  const [g, l] = [grants!.filter(on), links!.filter(on)];
  const [s, f] = [
    spaces!.filter((x) => drives.has(x.id)),
    items!.filter((x) => inDrives.has(x.id) && x.kind === 'file'),
  ];
  const plain = groups!.filter(
    (x) =>
      (x.members as object[]).length > 2 &&
      !(x['urn:gatelantern:scim:1.0:Identity'] as { rule?: string } | undefined)?.rule,
  );
  const at = { source: 'drives' };
  const make: (() => PlannedChange)[] = [
    () => ({ kind: 'grant', ...at, id: pick(g).id }),
    () => ({ kind: 'grant', ...at, id: pick(g).id, set: { role: 'reader' } }),
    () => ({ kind: 'grant', ...at, id: pick(g).id, set: { expiresAt: '2027-05-05T00:00:00.000Z' } }),
    () => ({ kind: 'link', ...at, id: pick(l).id }),
    () => ({ kind: 'link', ...at, id: pick(l).id, set: { noCopies: true } }),
    () => ({ kind: 'space', ...at, id: pick(s).id, set: { externalSharing: 'existing-guests' } }),
    () => ({ kind: 'item', ...at, id: pick(f).id, set: { dim: true } }),
    () => {
      const group = pick(plain);
      return {
        kind: 'member',
        source: 'directory',
        id: memberId(group.id, pick(group.members as Row[]).value as string),
      };
    },
  ];
  const found = new Map<string, PlannedChange>();
  while (found.size < n) {
    const c = make[d.int(make.length)]!();
    found.set(`${c.kind}${c.id}`, c);
  }
  return [...found.values()];
}

const FAULTS: FaultRule[][] = [
  [{ kind: 'latency', amount: 30 }],
  [
    { kind: 'latency', amount: 15 },
    { kind: 'reset-after', every: 5 },
  ],
  [
    { kind: 'throttle', amount: 0, every: 4 },
    { kind: 'latency', amount: 20 },
  ],
  [
    { kind: 'error', every: 6 },
    { kind: 'reset-after', method: 'PATCH', every: 3 },
    { kind: 'latency', amount: 10 },
  ],
  [
    { kind: 'reset', every: 7 },
    { kind: 'reset-after', method: 'DELETE', every: 2 },
    { kind: 'latency', amount: 25 },
  ],
];

const plan = (scene: Scene, id: number) => scene.api<PlanDetail>('GET', `/api/plans/${id}`);
const act = (scene: Scene, id: number, name: string, more: object = {}, role: Role = 'steward') =>
  scene.api('POST', `/api/plans/${id}`, { act: name, ...more }, role);
/** Keys of the changes that the stand-ins have taken, in order. */
const journal = (scene: Scene): string[] =>
  readFileSync(join(scene.home, 'standins', 'journal.jsonl'), 'utf8')
    .split('\n')
    .filter(Boolean)
    .map((line) => (JSON.parse(line) as { key: string }).key);
const UNKNOWN = ['sending', 'sent', 'undo-sending', 'undo-sent', 'failed', 'undo-failed'];

/** Waits for plans to end, and tries again what is unknown until nothing is. */
async function settled(scene: Scene, ids: number[]): Promise<PlanDetail[]> {
  return Promise.all(
    ids.map(async (id) => {
      for (;;) {
        const p = await until(
          `plan ${id}`,
          async () => {
            const now = await plan(scene, id);
            return now.state === 'applied' || now.state === 'undone' ? now : undefined;
          },
          90,
        );
        if (!p.list.some((c) => UNKNOWN.includes(c.state))) return p;
        await act(scene, id, 'retry');
      }
    }),
  );
}

async function approved(scene: Scene, changes: PlannedChange[], name: string): Promise<number> {
  await scene.api('POST', '/api/tray', { changes });
  const { id } = await scene.api<{ id: number }>('POST', '/api/plans', { name, reason: '' });
  await scene.approved(id);
  return id;
}

/** What the plans say was done is what is there: nothing else, and nothing twice. */
function foreseen(before: Awaited<ReturnType<typeof everything>>, plans: PlanDetail[]) {
  const wanted = structuredClone(before);
  for (const { list } of plans)
    for (const { change: c, state } of list) {
      if (state !== 'verified') continue;
      if (c.kind === 'member') {
        const [group, value] = c.id.split('/') as [string, string];
        const row = wanted.groups[group]!;
        row.members = (row.members as string[]).filter((m) => m !== value);
      } else if (!c.set) delete wanted[`${c.kind}s` as 'grants'][c.id];
      else Object.assign(wanted[`${c.kind}s` as 'grants'][c.id]!, c.set);
    }
  return wanted;
}

describe('killed at random moments', () => {
  const scene = new Scene();
  beforeAll(async () => {
    await scene.upSurveyed();
  });
  afterAll(() => scene.down());

  it(
    `with two plans over the same things and faults on, in ${ROUNDS} rounds`,
    async () => {
      let kills = 0;
      const killAndStart = async (): Promise<void> => {
        await new Promise((r) => setTimeout(r, d.int(900)));
        await scene.kill();
        kills++;
        await scene.startApp();
      };
      for (let round = 0; round < ROUNDS; round++) {
        const where = `round ${round}, seed ${SEED}`;
        const before = await everything(scene);
        const written = journal(scene).length;
        const first = await some(scene, 8);
        // half of the second plan is what the first changes too
        const second = [...first.slice(0, 4), ...(await some(scene, 5))].filter(
          (c, i, list) => list.findIndex((x) => x.kind === c.kind && x.id === c.id) === i,
        );
        const ids = [
          await approved(scene, first, `${where}, one`),
          await approved(scene, second, `${where}, two`),
        ];
        await scene.faults(FAULTS[d.int(FAULTS.length)]!);
        for (const id of ids) await act(scene, id, 'apply');
        for (let k = 1 + d.int(3); k > 0; k--) await killAndStart();
        await scene.faults([]);
        const applied = await settled(scene, ids);
        expect(await everything(scene), where).toEqual(foreseen(before, applied));
        for (const { list } of applied)
          for (const c of list)
            expect(['verified', 'already-gone', 'unexpected'], `${where}: ${c.words}`).toContain(c.state);
        // each change that was done was written down by the workspace once, and nothing else was
        const keys = journal(scene).slice(written);
        expect(new Set(keys).size, where).toBe(keys.length);
        expect(keys, where).toHaveLength(
          applied.flatMap((p) => p.list).filter((c) => c.state === 'verified').length,
        );
        // what the store says is there is what is there
        const seen = await scene.survey('incremental');
        expect([seen.state, seen.altered], where).toEqual(['done', 0]);

        await scene.faults(FAULTS[d.int(FAULTS.length)]!);
        // the later plan first, so that each finds things as it left them
        for (const id of ids.slice().reverse()) {
          if ((await plan(scene, id)).list.some((c) => c.state === 'verified')) await scene.undo(id);
          for (let k = d.int(3); k > 0; k--) await killAndStart();
          await settled(scene, [id]);
        }
        await scene.faults([]);
        const undone = await settled(scene, ids);
        for (const { list } of undone)
          for (const c of list)
            expect(['undone', 'already-gone', 'unexpected'], `${where}: ${c.words}`).toContain(c.state);
        expect(await everything(scene), where).toEqual(before);
        expect(await scene.api('GET', '/api/ledger/check'), where).toMatchObject({ holds: true });
        await scene.survey();
      }
      expect(kills).toBeGreaterThanOrEqual(ROUNDS);
      console.log(`${kills} kills in ${ROUNDS} rounds`);
    },
    ROUNDS * 240_000,
  );
});

const mountable = (() => {
  const at = '/tmp/gl-full-probe';
  mkdirSync(at, { recursive: true });
  const tried = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=1m', 'tmpfs', at]);
  if (tried.status === 0) spawnSync('umount', [at]);
  return tried.status === 0;
})();

// it needs a small disk of its own; where none can be mounted, the test is counted as skipped and says why
// a server's disk is elsewhere
describe.skipIf(!mountable || SERVER !== undefined)(
  `with the disk of the database full${mountable ? '' : ' (skipped: no tmpfs can be mounted here)'}`,
  () => {
    const scene = new Scene();
    const disk = join(scene.home, 'data');
    beforeAll(async () => {
      mkdirSync(disk, { recursive: true });
      expect(spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=400m', 'tmpfs', disk]).status).toBe(0);
      await scene.up();
      await scene.survey();
    });
    afterAll(async () => {
      await scene.kill();
      spawnSync('umount', ['-l', disk]);
      await scene.down();
    });

    it('stops, and after there is room again every change is known and none is done twice', async () => {
      const before = await everything(scene);
      const id = await approved(scene, await some(scene, 250), 'on a full disk');
      const filler = join(disk, 'filler');
      // in the middle of it
      await scene.faults([{ kind: 'latency', amount: 10 }]);
      await act(scene, id, 'apply');
      await until('some of it to be done', async () => (await plan(scene, id)).verified > 4);
      for (let room = 1; room > 0;) {
        room = statfsSync(disk).bavail * statfsSync(disk).bsize;
        try {
          writeFileSync(filler, Buffer.alloc(room), { flag: 'a' });
        } catch {
          // the database was quicker with some of it
        }
      }
      // it cannot write down what comes next, so it does not do it
      const done1 = await until('it to stop', async () => {
        const now = journal(scene).length;
        await new Promise((r) => setTimeout(r, 3000));
        return journal(scene).length === now && now;
      });
      expect(done1).toBeLessThan(250);
      await scene.kill();
      rmSync(filler);
      await scene.faults([]);
      await scene.startApp();
      const [done] = await settled(scene, [id]);
      expect(done!.list.map((c) => c.state)).toEqual(done!.list.map(() => 'verified'));
      expect(await everything(scene)).toEqual(foreseen(before, [done!]));
      for (const { change: c } of done!.list)
        if (c.set) expect(hasFields(await scene.truth(`${c.kind}s`, c.id), c.set)).toBe(true);
    }, 180_000);
  },
);
