/** What an operator does: a backup of a running installation, restored elsewhere; another key. */
import {
  copyFileSync,
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { FindingsPage } from '../../src/dto/exposure.ts';
import { gl as runGl, Scene } from './harness.ts';

const PASSPHRASE = 'a tide table and nine ropes';
const scene = new Scene();
const other = mkdtempSync(join(tmpdir(), 'gl-other-'));
const data = (): string => join(scene.home, 'data');

beforeAll(async () => {
  await scene.upSurveyed();
}, 120_000);
afterAll(async () => {
  await scene.down();
  rmSync(other, { recursive: true, force: true });
});

const gl = (args: readonly string[], env: NodeJS.ProcessEnv = { GATE_LANTERN_PASSPHRASE: PASSPHRASE }) =>
  runGl(args, { env });
const said = (out: string): Record<string, unknown> => JSON.parse(out) as Record<string, unknown>;

describe('a backup', () => {
  const file = join(other, 'monday.backup');
  let findings: FindingsPage;
  let key: unknown;

  it('is made of a running installation, whole, while others write', async () => {
    findings = await scene.api('GET', '/api/findings?limit=500');
    key = await scene.api('GET', '/api/evidence/key');
    await scene
      .api('POST', '/api/tray', { changes: [{ kind: 'grant', source: 'x', id: 'x' }] })
      .catch(() => undefined);
    let writing = true;
    let wrote = 0;
    const { rows } = findings;
    const writer = (async () => {
      for (; writing; wrote++)
        await scene.api('POST', '/api/findings/triage', {
          findings: [rows[wrote % rows.length]!.id],
          decision: { act: 'note', note: `note ${wrote}` },
        });
    })();
    const made = await gl(['backup', file, '--data', data()]);
    writing = false;
    await writer;
    expect([made.status, made.err]).toEqual([0, '']);
    expect(said(made.out)).toMatchObject({ backup: file });
    expect(wrote).toBeGreaterThan(0);
    expect(statSync(file).mode & 0o077).toBe(0);
    // nothing that is in it can be read
    const bytes = readFileSync(file);
    for (const text of ['steward@tarntide.example', 'Tarn', readFileSync(join(data(), 'secret.key'), 'utf8')])
      expect(bytes.includes(text)).toBe(false);
  });

  it('is restored on another machine, where everything is as it was, and goes on', async () => {
    const home = join(other, 'restored');
    const restored = await gl(['restore', file, home]);
    expect([restored.status, restored.err]).toEqual([0, '']);
    expect(said(restored.out)).toMatchObject({ ledger: { holds: true }, keyElsewhere: false });
    // as if it were another machine: the one of before is gone
    await scene.kill();
    rmSync(data(), { recursive: true });
    await scene.startApp({ GATE_LANTERN_DATA: home });
    const now = await scene.api<FindingsPage>('GET', '/api/findings?limit=500');
    const plain = ({ rows }: FindingsPage) => rows.map(({ notes: _, ...r }) => r);
    expect(plain(now)).toEqual(plain(findings));
    expect(await scene.api('GET', '/api/evidence/key')).toEqual(key);
    expect(await scene.api('GET', '/api/ledger/check')).toMatchObject({ holds: true });
    // new rows are numbered on, and what was sealed opens
    const survey = await scene.survey();
    expect([survey.state, survey.failures]).toEqual(['done', 0]);
    const again = await gl(['backup', join(other, 'tuesday.backup'), '--data', home]);
    expect(again.status).toBe(0);
  });

  it('says what is wrong, and leaves nothing half made', async () => {
    const damaged = join(other, 'damaged');
    const bytes = readFileSync(file);
    bytes[bytes.length - 5000]! ^= 1;
    writeFileSync(damaged, bytes);
    const cut = join(other, 'cut');
    writeFileSync(cut, readFileSync(file).subarray(0, 200_000));
    const target = join(other, 'target');
    for (const [args, env, says] of [
      [['restore', damaged, target], undefined, /damaged/],
      [['restore', cut, target], undefined, /damaged/],
      [['restore', file, target], { GATE_LANTERN_PASSPHRASE: 'another passphrase' }, /passphrase/],
      [['restore', 'package.json', target], undefined, /no backup/],
      [['restore', file, other], undefined, /not empty/],
      [['backup', file, '--data', join(other, 'restored')], undefined, /there already/],
      [['backup', join(other, 'x'), '--data', join(other, 'nowhere')], undefined, /No Gate Lantern runs/],
      [['backup', join(other, 'x')], { GATE_LANTERN_PASSPHRASE: 'short' }, /at least 12/],
    ] as const) {
      const { status, err } = await gl([...args], env);
      expect([args, status, err]).toEqual([args, 2, expect.stringMatching(says)]);
    }
    expect(existsSync(target) ? readdirSync(target) : []).toEqual([]);
    expect(readdirSync(other).filter((n) => n.endsWith('.part'))).toEqual([]);
  });
});

describe('another key', () => {
  it('is not given to what runs; then everything that is sealed opens with it, and no more with the old', async () => {
    const home = join(other, 'restored');
    const running = await gl(['key', 'rotate', '--data', home]);
    expect([running.status, running.err]).toEqual([2, expect.stringContaining('is using')]);
    const key = await scene.api('GET', '/api/evidence/key');
    await scene.kill('SIGTERM');
    const old = join(other, 'old.key');
    copyFileSync(join(home, 'secret.key'), old);
    const rotated = await gl(['key', 'rotate', '--data', home]);
    expect([rotated.status, rotated.err]).toEqual([0, '']);
    expect(said(rotated.out)).toMatchObject({ rotated: true });
    expect(readFileSync(join(home, 'secret.key'), 'utf8')).not.toBe(readFileSync(old, 'utf8'));
    await scene.startApp({ GATE_LANTERN_DATA: home });
    expect(await scene.api('GET', '/api/evidence/key')).toEqual(key);
    const survey = await scene.survey();
    expect([survey.state, survey.failures]).toEqual(['done', 0]);
    await scene.kill('SIGTERM');
    // with the key elsewhere it goes there, and the old one opens nothing
    const elsewhere = join(other, 'elsewhere.key');
    copyFileSync(join(home, 'secret.key'), elsewhere);
    rmSync(join(home, 'secret.key'));
    const env = { GATE_LANTERN_KEY_FILE: elsewhere };
    expect((await gl(['key', 'rotate', '--data', home], env)).err).toContain('--to FILE');
    const next = join(other, 'next.key');
    expect((await gl(['key', 'rotate', '--data', home, '--to', next], env)).status).toBe(0);
    await expect(scene.startApp({ GATE_LANTERN_DATA: home, ...env })).rejects.toThrow('Put that one back');
    await scene.startApp({ GATE_LANTERN_DATA: home, GATE_LANTERN_KEY_FILE: next });
    expect(await scene.api('GET', '/api/evidence/key')).toEqual(key);
  });
});
