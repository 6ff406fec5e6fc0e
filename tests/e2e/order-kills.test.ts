/**
 * The application is ended without warning while standing orders run, again and again, while mail and chat fail: what had to be
 * told is in the mailbox once, every channel has it once, and every change was made once.
 */
import { randomInt } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { GrantRow, ItemRow, SpaceRow } from '../../src/core/model.ts';
import type { Order } from '../../src/core/orders/schema.ts';
import type { RunPage, RunsPage } from '../../src/dto/orders.ts';
import { Scene, until } from './harness.ts';

const scene = new Scene({ mail: true });
const ROUNDS = Number(process.env.GATE_LANTERN_KILL_ROUNDS ?? 3);
const EACH = 3;
let files: ItemRow[];
let channel: SpaceRow;

const control = async <T>(what: string): Promise<T> => (await (await scene.control('GET', what)).json()) as T;

beforeAll(async () => {
  await scene.upSurveyed();
  const spaces = new Map((await scene.truth<SpaceRow[]>('spaces')).map((s) => [s.id, s]));
  channel = [...spaces.values()].find((s) => s.workspace === 'channels')!;
  files = (await scene.truth<ItemRow[]>('items')).filter(
    (i) =>
      i.kind === 'file' && i.owner && spaces.get(i.space)?.workspace === 'drives' && !i.held && !i.binned,
  );
  await scene.setMail();
  const order: Order = {
    format: 'gate-lantern-order',
    version: 1,
    name: 'Withdraw and tell',
    severity: 'high',
    on: true,
    when: { event: ['grant.made'] },
    if: 'outside && target.startsWith("kill-")',
    steps: [
      { do: 'wait', for: 'PT1S' },
      { do: 'change', about: 'share', response: { do: 'withdraw' } },
      {
        do: 'tell',
        to: [{ address: 'reader@tarntide.example' }, { channel: `channels/${channel.id}` }],
        subject: 'Withdrawn from {{ target.name }}',
        text: '{{ change.did }}',
      },
    ],
  };
  await scene.api('POST', '/api/orders', { order });
});
afterAll(() => scene.down());

it(`${ROUNDS} ends of the application repeat no step and lose none`, async () => {
  let [made, kills] = [0, 0];
  const secrets: Record<string, string> = {};
  for (const source of ['drives', 'sites', 'channels'])
    secrets[source] = (await scene.api<{ secret: string }>('POST', '/api/events/telling', { source })).secret;
  for (let round = 0; round < ROUNDS; round++) {
    await scene.control('PUT', 'hearing', {
      url: `${scene.base}/api/events/in`,
      secrets,
      mode: 'structured',
      twice: true,
    });
    await scene.control('PUT', 'mail', { mode: round % 2 ? 'later' : 'lost', times: 1 });
    await scene.control('PUT', 'faults', [
      { kind: 'reset-after', path: '/messages', times: 1 },
      { kind: 'error', path: '/grants/', times: 1 },
    ]);
    for (let k = 0; k < EACH; k++) {
      const file = files[made % files.length]!;
      const grant: GrantRow = {
        id: `kill-${made}`,
        on: { item: file.id },
        to: { email: `kill-${made}@elsewhere.test` },
        role: 'reader',
        grantedBy: file.owner!,
        grantedAt: new Date().toISOString(),
      };
      made++;
      await scene.control('PUT', 'truth/grants', grant);
    }
    for (let end = 0; end < 3; end++) {
      await pause(randomInt(50, 1800));
      await scene.kill();
      kills++;
      await scene.startApp();
      await scene.control('PUT', 'hearing', { url: `${scene.base}/api/events/in`, secrets });
    }
  }
  await scene.control('PUT', 'faults', []);
  const runs = await until(
    'every run to end',
    async () => {
      const { rows } = await scene.api<RunsPage>('GET', '/api/orders/runs?show=all&limit=500');
      // what failed for now is tried at once, and what is held for so many plans a day is let go on
      const retried = rows
        .filter((r) => !r.endedAt && ((r.state === 'waiting' && r.due) || r.state === 'held'))
        .map((r) => r.id);
      if (retried.length) await scene.api('PUT', '/api/orders/runs', { ids: retried, act: 'go-on' });
      return rows.length >= made && rows.every((r) => r.endedAt) && rows;
    },
    500,
  );
  expect(runs).toHaveLength(made);
  expect(runs.map((r) => r.state)).toEqual(runs.map(() => 'done'));
  /** How often each was told of, in messages of which each is counted once. */
  const told = (texts: string[]): string[] =>
    texts
      .flatMap((t) => [...new Set([...t.matchAll(/Withdrawn from (kill-\d+)@/g)].map((m) => m[1]!))])
      .sort();
  const all = Array.from({ length: made }, (_, n) => `kill-${n}`).sort();
  await until(
    'every message to be sent',
    async () => {
      const { rows } = await scene.api<{ rows: { id: number; state: string; digest: number | null }[] }>(
        'GET',
        '/api/messages?limit=500',
      );
      const waiting = rows.filter((m) => m.state === 'waiting' || m.state === 'failed').map((m) => m.id);
      if (waiting.length) await scene.api('PUT', '/api/messages', { ids: waiting }).catch(() => undefined);
      // gathered ones wait for their hour, and are no message of their own
      return rows.every((m) => m.state === 'sent' || m.state === 'gathered');
    },
    300,
  );
  const sent = await scene.letters();
  // the same mail, sent again because its answer was lost, is known by its Message-ID; nothing else comes twice
  const single = [...new Map(sent.map((l) => [l.id, l])).values()].map((l) => `${l.subject}\n${l.text}`);
  const { rows: left } = await scene.api<{ rows: { subject: string; way: string; digest: number | null }[] }>(
    'GET',
    '/api/messages?state=gathered&limit=500',
  );
  const waiting = (way: string): string[] =>
    left.flatMap((m) => (m.way === way && m.digest === null ? m.subject : []));
  expect(told([...single, ...waiting('mail')])).toEqual(all);
  const posts = await control<{ text: string }[]>('posts');
  expect(told([...posts.map((p) => p.text), ...waiting('chat')])).toEqual(all);
  // every grant is gone, by one plan each
  const grants = await scene.truth<GrantRow[]>('grants');
  expect(grants.filter((g) => g.id.startsWith('kill-'))).toEqual([]);
  for (const r of runs) {
    const page = await scene.api<RunPage>('GET', `/api/orders/runs/${r.id}`);
    expect(page.did.map((d) => d.what).filter((w) => w !== 'hurried')).toEqual([
      'waited',
      'planned',
      'changed',
      'told',
    ]);
  }
  expect(kills).toBe(3 * ROUNDS);
});
