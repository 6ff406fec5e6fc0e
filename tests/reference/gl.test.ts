/** The command line on extracts in files, against the plain second reading. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

const home = mkdtempSync(join(tmpdir(), 'gl-cli-'));
afterAll(() => rmSync(home, { recursive: true, force: true }));

let made = 0;
function write(rows: Rows): string {
  const dir = join(home, `x${made++}`);
  mkdirSync(dir);
  const file = (name: string, list: object[]) =>
    writeFileSync(join(dir, name), list.map((r) => JSON.stringify(r) + '\n').join(''));
  writeFileSync(
    join(dir, 'manifest.json'),
    JSON.stringify({
      format: 'gate-lantern-extract',
      version: 1,
      takenAt: new Date(rows.takenAt).toISOString(),
      organisation: rows.own,
      workspaces: rows.workspaces,
    }),
  );
  file(
    'users.jsonl',
    rows.users.map((u) => ({
      id: u.id,
      userName: u.id,
      active: u.active,
      emails: u.addresses.map((value) => ({ value })),
      'urn:gatelantern:scim:1.0:Identity': { kind: u.kind, expiresAt: u.expiresAt },
    })),
  );
  file(
    'groups.jsonl',
    rows.groups.map((g) => ({ id: g.id, displayName: g.name, members: g.members })),
  );
  for (const name of ['spaces', 'items', 'grants', 'links'] as const) file(`${name}.jsonl`, rows[name]);
  return dir;
}
function gl(...args: string[]): { rows: Record<string, unknown>[]; status: number | null; stderr: string } {
  const { stdout, stderr, status } = spawnSync(process.execPath, ['dist/app/gl.mjs', ...args], {
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  return {
    rows: stdout
      .split('\n')
      .filter(Boolean)
      .map((l) => JSON.parse(l) as Record<string, unknown>),
    status,
    stderr,
  };
}

describe('gl on extracts', () => {
  const samples = fc.sample(organisations, { numRuns: 6, seed: 20 });

  it('answers reach, who, what and why as the plain reading does', () => {
    for (const rows of samples) {
      const dir = write(rows);
      const plain = plainly(rows);
      const judged = rows.items
        .map((i) => ({
          id: i.id,
          ...plain.judge(
            rows.spaces.find((s) => s.id === i.space)!,
            i,
          ),
        }))
        .sort((a, b) => (a.id < b.id ? -1 : 1));
      expect(gl('reach', dir).rows).toEqual(judged.map(({ id, now, could }) => ({ item: id, now, could })));
      expect(gl('reach', dir, '--spaces').rows.map((r) => r.space)).toEqual(
        rows.spaces.map((s) => s.id).sort(),
      );
      const [item] = judged;
      const who = gl('who', dir, item!.id).rows as {
        identity: string;
        kind: string;
        capabilities: string[];
      }[];
      expect(Object.fromEntries(who.map((r) => [r.identity, r.capabilities.sort()]))).toEqual(item!.who);
      const somebody = [...plain.identities.keys()].find((n) => judged.some((j) => j.who[n])) ?? 'u0';
      expect(gl('what', dir, somebody).rows).toEqual(
        judged
          .filter((j) => j.who[somebody])
          .map((j) => ({ item: j.id, capabilities: expect.arrayContaining(j.who[somebody]!) as string[] })),
      );
      const [why] = gl('why', dir, somebody, item!.id).rows as { capabilities: string[] }[];
      expect(why!.capabilities.sort()).toEqual(item!.who[somebody] ?? []);
    }
  }, 400_000);

  it('answers what if, as of, and what changed', () => {
    const rows = samples.find((r) => r.grants.some((g) => 'item' in g.on))!;
    const dir = write(rows);
    const gone = rows.grants[0]!;
    const changes = join(home, 'changes.jsonl');
    writeFileSync(changes, JSON.stringify({ grant: gone.id }) + '\n');
    const less = { ...rows, grants: rows.grants.slice(1) };
    expect(gl('reach', dir, '--without', changes).rows).toEqual(gl('reach', write(less)).rows);
    const early = Date.parse('2025-01-01T00:00:00Z');
    expect(gl('reach', dir, '--as-of', '2025-01-01T00:00:00Z').rows).toEqual(
      gl('reach', write({ ...rows, takenAt: early })).rows,
    );
    expect(gl('diff', dir, dir).rows).toEqual([]);
    const plain = [plainly(rows), plainly(less)] as const;
    const expected = rows.items.flatMap((i) => {
      const [was, is] = plain.map((p) =>
        p.judge(
          rows.spaces.find((s) => s.id === i.space)!,
          i,
        ),
      );
      const lost = Object.keys(was!.who)
        .filter((n) => !is!.who[n])
        .sort();
      return lost.length || was!.now.tier !== is!.now.tier || was!.could.tier !== is!.could.tier
        ? [{ item: i.id, lost, before: { now: was!.now.tier, could: was!.could.tier } }]
        : [];
    });
    expect(
      gl('diff', dir, write(less)).rows.map(({ item, lost, before }) => ({ item, lost, before })),
    ).toEqual(expected.sort((a, b) => (a.item < b.item ? -1 : 1)));
  }, 200_000);

  it('says what is wrong and exits with 2', () => {
    const dir = write(samples[0]!);
    for (const args of [
      ['reach', join(home, 'none')],
      ['who', dir, 'no-such'],
      ['what', dir, 'nobody@x.test'],
      ['reach', dir, '--as-of', 'soon'],
      ['reach'],
      ['classify', join(home, 'none')],
      ['nothing'],
    ]) {
      const { status, rows, stderr } = gl(...args);
      expect([args[0], status, rows]).toEqual([args[0], 2, []]);
      expect(stderr).not.toBe('');
    }
    // a slip of the pen in what must stay does not take the protection away
    const goal = join(home, 'goal.json');
    const { id } = samples[0]!.spaces[0]!;
    writeFileSync(
      goal,
      JSON.stringify({
        keepOut: { outside: true },
        of: { spaces: [id] },
        pinned: [{ space: `${id}x`, set: { visibility: 'members' } }],
      }),
    );
    const slip = gl('cut', dir, goal);
    expect([slip.status, slip.rows]).toEqual([2, []]);
    expect(slip.stderr).toContain(`pinned: there is no space ${id}x in this extract. The nearest: ${id}`);
    writeFileSync(join(dir, 'grants.jsonl'), '{"id":1}\n');
    const { status, stderr } = gl('reach', dir);
    expect(status).toBe(0);
    expect(stderr).toContain('grants.jsonl, line 1');
  }, 200_000);
});
