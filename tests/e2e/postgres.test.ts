/** What is only so on a PostgreSQL server: a store carried over, and a process that stands by for the one that leads. */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { FindingsPage } from '../../src/dto/exposure.ts';
import type { PlanDetail } from '../../src/dto/remedy.ts';
import { newDatabase } from '../own-db.ts';
import { gl, Scene, until } from './harness.ts';

const SERVER = process.env.GATE_LANTERN_TEST_POSTGRES;

describe.skipIf(!SERVER)('a PostgreSQL server', () => {
  const scene = new Scene();
  let database: { url: string; drop: () => Promise<void> };
  beforeAll(async () => {
    database = await newDatabase(SERVER!);
    await scene.up();
    await scene.survey();
  }, 120_000);
  afterAll(async () => {
    await scene.down();
    await database.drop();
  });
  it('takes an installation over row by row, which goes on there as it was', async () => {
    const before = await scene.api<FindingsPage>('GET', '/api/findings?limit=500');
    const ledger = await scene.api<{ rows: object[] }>('GET', '/api/ledger?limit=500');
    const data = join(scene.home, 'data');
    const running = await gl(['move-store', '--to', database.url, '--data', data]);
    expect([running.status, running.err]).toEqual([2, expect.stringContaining('is using')]);
    await scene.kill('SIGTERM');
    const moved = await gl(['move-store', '--to', database.url, '--data', data]);
    expect([moved.status, JSON.parse(moved.out || '{}')]).toEqual([
      0,
      expect.objectContaining({ moved: true }),
    ]);
    const again = await gl(['move-store', '--to', database.url, '--data', data]);
    expect([again.status, again.err]).toEqual([2, expect.stringContaining('already')]);
    await scene.startApp({ DATABASE_URL: database.url });
    expect(await scene.api('GET', '/api/findings?limit=500')).toEqual(before);
    const after = await scene.api<{ rows: object[] }>('GET', '/api/ledger?limit=500');
    expect(after.rows.slice(-ledger.rows.length)).toEqual(ledger.rows);
    expect(await scene.api('GET', '/api/ledger/check')).toMatchObject({ holds: true });
    const survey = await scene.survey('incremental');
    expect([survey.state, survey.altered]).toEqual(['done', 0]);
  });

  it('has one process lead and another stand by, which goes on with a plan when the first is killed', async () => {
    const { rows } = await scene.api<FindingsPage>('GET', '/api/findings?limit=500');
    await scene.api('POST', '/api/findings/pick-up', { findings: rows.slice(0, 12).map((r) => r.id) });
    const { id } = await scene.api<{ id: number }>('POST', '/api/plans', { name: 'Goes on', reason: 'r' });
    await scene.approved(id);
    // each answer takes a while, so that the plan is in the middle
    await scene.faults(
      ['DELETE', 'PATCH', 'PUT'].map((method) => ({ method, kind: 'latency', amount: 400 })),
    );
    const standby = await scene.standBy({ DATABASE_URL: database.url });
    await until('the second process to stand by', () =>
      Promise.resolve(standby.output.some((l) => l.includes('Standing by'))),
    );
    await scene.api('POST', `/api/plans/${id}`, { act: 'apply' });
    const plan = () => scene.api<PlanDetail>('GET', `/api/plans/${id}`);
    await until('the plan to be in the middle', async () =>
      (await plan()).list.some((c) => ['sent', 'verified', 'sending'].includes(c.state)),
    );
    const began = performance.now();
    await scene.kill();
    await standby.leads();
    const seconds = (performance.now() - began) / 1000;
    await scene.faults([]);
    const done = await until('the plan to end', async () => {
      const now = await plan();
      return now.state === 'applied' && now;
    });
    for (const c of done.list) expect(['verified', 'already-gone', 'unexpected']).toContain(c.state);
    expect(await scene.api('GET', '/api/ledger/check')).toMatchObject({ holds: true });
    const seen = await scene.survey('incremental');
    expect([seen.state, seen.altered]).toEqual(['done', 0]);
    // nothing here rests on how fast it was; it is said for whoever reads
    console.log(`the second process led ${seconds.toFixed(1)} s after the first was killed`);
  });

  it('takes no backup over an installation that is there', async () => {
    const file = join(scene.home, 'a.backup');
    const passphrase = { GATE_LANTERN_PASSPHRASE: 'a tide table and nine ropes' };
    const before = await scene.api<FindingsPage>('GET', '/api/findings?limit=500');
    const made = await gl(['backup', file, '--data', join(scene.home, 'second')], { env: passphrase });
    expect([made.status, made.err]).toEqual([0, '']);
    await scene.kill('SIGTERM');
    const env = { ...passphrase, DATABASE_URL: database.url };
    const refused = await gl(['restore', file, join(scene.home, 'onto')], { env });
    expect([refused.status, refused.err]).toEqual([2, expect.stringContaining('already')]);
    await scene.startApp({ DATABASE_URL: database.url });
    expect(await scene.api('GET', '/api/findings?limit=500')).toEqual(before);
  });

  it('comes back into a data directory', async () => {
    const before = await scene.api<FindingsPage>('GET', '/api/findings?limit=500');
    await scene.kill('SIGTERM');
    const data = join(scene.home, 'back');
    mkdirSync(data);
    const back = await gl(['move-store', '--from', database.url, '--data', data]);
    expect([back.status, JSON.parse(back.out || '{}')]).toEqual([
      0,
      expect.objectContaining({ moved: true }),
    ]);
    await scene.startApp({
      GATE_LANTERN_DATA: data,
      GATE_LANTERN_KEY_FILE: join(scene.home, 'data', 'secret.key'),
    });
    expect(await scene.api('GET', '/api/findings?limit=500')).toEqual(before);
  });
});
