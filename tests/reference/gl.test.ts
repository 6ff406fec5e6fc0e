/** The command line on extracts in files, against the plain second reading. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { progressWords } from '../../src/cli/messages.ts';
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

  it('lists the spaces in which nothing happened for long, by what they, their files and activity say', () => {
    const takenAt = Date.parse('2026-06-30T00:00:00Z');
    const day = (ago: number): string => new Date(takenAt - ago * 86_400_000).toISOString();
    const [rows] = samples;
    const workspace = rows!.workspaces[0]!.id;
    const space = (id: string, more: object) => ({ id, workspace, kind: 'site' as const, name: id, ...more });
    const dir = write({
      ...rows!,
      takenAt,
      spaces: [
        space('team', { parts: ['site'], lastActivity: { mail: day(200) } }),
        space('site', { lastActivity: { files: day(120), calendar: day(95) } }),
        space('quiet', { lastActivity: { chat: day(90) } }),
        space('busy', { lastActivity: { chat: day(89) } }),
        space('edited', {}),
        space('archived', { archived: true, lastActivity: { files: day(500) } }),
        space('unknown', {}),
      ],
      items: [{ id: 'f', space: 'edited', kind: 'file', name: 'f', modifiedAt: day(3) }],
      grants: [],
      links: [],
    });
    expect(gl('dormant', dir).rows.map(({ id, idleDays, parts }) => [id, idleDays, parts])).toEqual([
      ['team', 95, ['site']],
      ['quiet', 90, []],
      ['unknown', -1, []],
    ]);
    expect(gl('dormant', dir, '--days', '3').rows.map((r) => r.id)).toEqual([
      'team',
      'quiet',
      'busy',
      'edited',
      'unknown',
    ]);
    expect(gl('dormant', dir, '--all').rows).toHaveLength(6);
    expect(gl('dormant', dir, '--days', 'many').status).toBe(2);
  });

  it('says what apps could read, through whom, and their risk as a sum', () => {
    const [rows] = samples;
    const { judge } = plainly(rows!);
    const dir = write(rows!);
    const workspace = rows!.workspaces[0]!.id;
    const jsonl = (name: string, list: object[]) =>
      writeFileSync(join(dir, name), list.map((r) => JSON.stringify(r) + '\n').join(''));
    jsonl('apps.jsonl', [
      { id: 'one', workspace, name: 'One', verified: true },
      { id: 'all', workspace, name: 'All' },
    ]);
    const user = rows!.users.find((u) => u.active && u.expiresAt === undefined)!.id;
    jsonl('app-grants.jsonl', [
      { id: '1', app: 'one', workspace, user, scopes: ['files:read:own'] },
      { id: '2', app: 'all', workspace, everyone: true, scopes: ['files:write:all'] },
      { id: '3', app: 'all', workspace, scopes: ['files:write:all'] },
    ]);
    const here = rows!.items.filter(
      (i) => rows!.spaces.find((s) => s.id === i.space)!.workspace === workspace,
    );
    const expected = here.flatMap((i) => {
      const can =
        judge(
          rows!.spaces.find((s) => s.id === i.space)!,
          i,
        ).who[user] ?? [];
      const capabilities = ['find', 'open', 'copy'].filter((c) => can.includes(c));
      return capabilities.length ? [{ item: i.id, capabilities, through: [user] }] : [];
    });
    const byId = (a: { item: string }, b: { item: string }) => (a.item < b.item ? -1 : 1);
    expect(gl('app-reach', dir, 'one').rows).toEqual(expected.sort(byId));
    expect(gl('app-reach', dir, 'all').rows.map((r) => [r.item, r.through])).toEqual(
      [...here].map((i) => [i.id, ['everyone']]).sort(([a], [b]) => (a! < b! ? -1 : 1)),
    );
    const { rows: apps, stderr } = gl('apps', dir);
    expect(apps.map((a) => [a.app, a.people, a.everyone, a.items])).toEqual([
      ['all', 0, true, here.length],
      ['one', 1, false, expected.filter((e) => e.capabilities.includes('open')).length],
    ]);
    for (const { points, sum } of apps as unknown as { points: number; sum: { points: number }[] }[])
      expect(sum.reduce((n, l) => n + l.points, 0)).toBe(points);
    expect(stderr).toContain('is either of a user or for everyone');
    expect(gl('app-reach', dir, 'none').status).toBe(2);
  });

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

  it('takes an account by its address wherever it takes its id, and suggests names like one that is not there', () => {
    const dir = `${home}/named`;
    mkdirSync(dir);
    const put = (name: string, rows: object[]) =>
      writeFileSync(join(dir, name), rows.map((r) => JSON.stringify(r) + '\n').join(''));
    put('manifest.json', [
      {
        format: 'gate-lantern-extract',
        version: 1,
        takenAt: '2026-03-02T09:00:00Z',
        organisation: { name: 'O', domains: ['tårn.example'], partnerDomains: [] },
        workspaces: [{ id: 'w', name: 'W', inheritance: 'additive' }],
      },
    ]);
    put('users.jsonl', [
      { id: 'u1', userName: 'kåre@tårn.example' },
      { id: 'u2', userName: 'two@tårn.example' },
      { id: 'u3', userName: 'two@tårn.example' },
    ]);
    put('spaces.jsonl', [{ id: 'space-1', workspace: 'w', owners: ['u2'] }]);
    put('items.jsonl', [{ id: 'minutes', space: 'space-1', owner: 'u2' }]);
    // one address in two spellings, and once more with its domain in Punycode
    put('grants.jsonl', [
      { id: 'g1', on: { item: 'minutes' }, to: { email: 'ka\u030Are@xn--trn-ula.example' }, role: 'reader' },
      { id: 'g2', on: { space: 'space-1' }, to: { email: 'KÅRE@TÅRN.example' }, role: 'commenter' },
    ]);
    const can = { identity: 'u1', kind: 'member', capabilities: ['find', 'open', 'copy', 'comment'] };
    expect(gl('who', dir, 'minutes').rows[0]).toEqual(can);
    const byId = gl('why', dir, 'u1', 'minutes').rows;
    expect((byId[0]!.routes as unknown[]).length).toBe(2);
    for (const name of ['kåre@tårn.example', 'ka\u030Are@tårn.example', 'kåre@xn--trn-ula.example']) {
      expect(gl('why', dir, name, 'minutes').rows).toEqual(byId);
      expect(gl('what', dir, name).rows).toEqual([{ item: 'minutes', capabilities: can.capabilities }]);
    }
    const goal = join(home, 'by-address.json');
    const cutOf = (identity: string) => {
      writeFileSync(goal, JSON.stringify({ keepOut: { identity }, of: { items: ['minutes'] } }));
      return gl('cut', dir, goal);
    };
    expect(cutOf('kåre@tårn.example').rows).toEqual(cutOf('u1').rows);
    const suspended = join(home, 'suspended.jsonl');
    writeFileSync(suspended, JSON.stringify({ user: 'kåre@tårn.example', set: { active: false } }) + '\n');
    expect(gl('what', dir, 'u1', '--without', suspended).rows).toEqual([]);
    for (const [args, said] of [
      [['who', dir, 'minuets'], 'There is no item or space minuets in this extract. The nearest: minutes.'],
      [['what', dir, 'kare@tårn.example'], 'The nearest: kåre@tårn.example'],
      [['what', dir, 'two@tårn.example'], 'is an address of u2, u3. Name one by its id.'],
      [['reach', dir, '--as-of', '2026-02-30'], '--as-of 2026-02-30: this is not a time'],
      [['reach', dir, '--as-of', '5'], '--as-of 5: this is not a time'],
      [['raech', dir], '(Did you mean reach?)'],
    ] as const) {
      const { status, stderr } = gl(...args);
      expect([status, stderr]).toEqual([2, expect.stringContaining(said)]);
    }
    writeFileSync(goal, JSON.stringify({ keepOut: { everybody: true }, of: { items: ['minutes'] } }));
    expect(gl('cut', dir, goal).stderr).toContain('keepOut: is one of {"outside": true}, {"anybody": true}');
  }, 200_000);

  it('prints help and its version on stdout, and nothing else', () => {
    const text = (...args: string[]) =>
      spawnSync(process.execPath, ['scripts/gl.mjs', ...args], { encoding: 'utf8' });
    const help = text('--help');
    expect([help.status, help.stderr]).toEqual([0, '']);
    for (const command of ['reach', 'why', 'cut', 'copy', 'classify']) expect(help.stdout).toContain(command);
    expect(text('cut', '--help').stdout).toContain('--strict');
    const { version } = JSON.parse(readFileSync('package.json', 'utf8')) as { version: string };
    expect(text('--version')).toMatchObject({ status: 0, stdout: `${version}\n`, stderr: '' });
  }, 60_000);

  it('sums up what is wrong with the data, lists it on demand, refuses it with --strict, and is quiet on demand', () => {
    const dir = write(samples[0]!);
    const bad = Array.from({ length: 40 }, (_, i) => ({ id: `x${i}` }));
    writeFileSync(join(dir, 'grants.jsonl'), bad.map((r) => JSON.stringify(r) + '\n').join(''));
    const summed = gl('reach', dir);
    expect(summed.status).toBe(0);
    expect(summed.stderr).toMatch(/grants\.jsonl, line 1: on: .* \(and 39 more in grants\.jsonl\)/);
    expect(summed.stderr).toContain('Not read: 40 lines or files; read: ');
    expect(summed.stderr).not.toContain('line 2');
    expect(gl('reach', dir, '--warnings').stderr).toContain('grants.jsonl, line 40: on: ');
    expect(gl('reach', dir, '--quiet')).toEqual({ ...summed, stderr: '' });
    // a name may be made to steer a terminal
    const hostile = join(dir, '\u001b[31mred\u0007.txt');
    writeFileSync(hostile, '');
    expect(gl('reach', dir).stderr).toContain('\uFFFD[31mred\uFFFD.txt: not a file of an extract');
    rmSync(hostile);
    const copied = join(home, 'strictly');
    for (const args of [
      ['reach', dir],
      ['copy', dir, copied],
    ]) {
      const strict = gl(...args, '--strict');
      expect([strict.status, strict.rows]).toEqual([2, []]);
      expect(strict.stderr).toContain('With --strict nothing may be left out');
    }
    // of a copy that is refused nothing is left
    expect(readdirSync(home).filter((name) => name.startsWith('strictly'))).toEqual([]);
    for (const name of ['users', 'groups', 'spaces', 'items', 'links'])
      writeFileSync(join(dir, `${name}.jsonl`), '{"id":7}\n');
    expect(gl('reach', dir)).toMatchObject({ status: 2, rows: [] });
    expect(gl('reach', dir).stderr).toContain('Nothing in the extract could be read.');
  }, 200_000);

  it('says in one line that it failed by itself, exits with 70, and keeps the details', () => {
    const temporary = mkdtempSync(join(home, 'tmp-'));
    const crash = join(home, 'crash.mjs');
    writeFileSync(crash, 'JSON.stringify = () => { throw new RangeError("too deep\\nby far"); };');
    const { status, stdout, stderr } = spawnSync(
      process.execPath,
      ['--import', crash, 'dist/app/gl.mjs', 'types'],
      { encoding: 'utf8', env: { ...process.env, TMPDIR: temporary } },
    );
    expect([status, stdout]).toEqual([70, '']);
    expect(stderr).toMatch(/^gl: failed by an error of its own: too deep\. The details are in \S+\.\n$/);
    const [kept] = readdirSync(temporary);
    expect(readFileSync(join(temporary, kept!), 'utf8')).toContain('RangeError: too deep');
    // what waits for what never comes is no silent end either
    writeFileSync(crash, 'process.stdout.write = () => false;');
    const waits = spawnSync(process.execPath, ['--import', crash, 'dist/app/gl.mjs', 'types'], {
      encoding: 'utf8',
      env: { ...process.env, TMPDIR: temporary },
    });
    expect([waits.status, waits.stderr.split('\n').length]).toEqual([70, 2]);
  }, 60_000);

  it('answers for what is nested deeper than calls can be, and says how far it is', () => {
    const deep = 8_000;
    const rows: Rows = {
      ...samples[0]!,
      workspaces: [{ id: 'w', name: 'w', inheritance: 'breakable' }],
      users: [
        { id: 'u0', name: 'u0', active: true, kind: 'member', addresses: ['u0@own.example'] },
        { id: 'u1', name: 'u1', active: true, kind: 'member', addresses: ['u1@own.example'] },
      ],
      groups: Array.from({ length: deep }, (_, i) => ({
        id: `g${i}`,
        name: `g${i}`,
        members: [i + 1 < deep ? { value: `g${i + 1}`, type: 'Group' as const } : { value: 'u1' }],
      })),
      spaces: [{ id: 's', kind: 'site', name: 's', workspace: 'w' }],
      items: Array.from({ length: deep }, (_, i) => ({
        id: `i${i}`,
        space: 's',
        kind: 'folder' as const,
        name: `i${i}`,
        ...(i && { parent: `i${i - 1}` }),
      })),
      grants: [{ id: 'gr', on: { space: 's' }, to: { group: 'g0' }, role: 'reader' }],
      links: [],
    };
    const dir = write(rows);
    const last = `i${deep - 1}`;
    expect(gl('who', dir, last).rows).toEqual([
      { identity: 'u1', kind: 'member', capabilities: ['find', 'open', 'copy'] },
    ]);
    const [why] = gl('why', dir, 'u1', last).rows as { routes: { steps: unknown[] }[] }[];
    expect(why!.routes.map((r) => r.steps.length)).toEqual([1 + deep + 1 + deep + 1]);
    const goal = join(home, 'deep.json');
    for (const keepOut of [{ identity: 'u1' }, { beyond: `g0` }, { group: `g${deep - 1}` }]) {
      writeFileSync(goal, JSON.stringify({ keepOut, of: { items: [last] } }));
      const { status, rows: cuts } = gl('cut', dir, goal);
      expect([status, cuts.length > 0]).toEqual([0, true]);
    }
    // a reader that has seen enough is no error
    const piped = `set -o pipefail; ${process.execPath} dist/app/gl.mjs reach ${dir} | head -1`;
    expect(spawnSync('bash', ['-c', piped], { encoding: 'utf8' })).toMatchObject({ status: 0, stderr: '' });
    // how far it is, is shown on a terminal alone, once it has taken two seconds
    const slow = `${process.execPath} --import ${join(home, 'slow.mjs')} dist/app/gl.mjs reach ${dir}`;
    writeFileSync(
      join(home, 'slow.mjs'),
      'const now = performance.now.bind(performance); performance.now = () => 40 * now();',
    );
    const shown = spawnSync('script', ['-qec', slow, '/dev/null'], { encoding: 'utf8', maxBuffer: 1 << 28 });
    expect(shown.stdout).toMatch(/\r\u001b\[KReading: \d+ %, [\d,]+ rows/);
    expect(gl('reach', dir).stderr).toBe('');
    expect(progressWords('Reading', 0.45, 10_000, 120_000)).toBe('Reading: 45 %, 120,000 rows, 13 s left');
    expect(progressWords('Reading', 0.01, 10_000)).toBe('Reading: 1 %');
    expect(progressWords('Checking the zip', 0.5, 600_000)).toBe('Checking the zip: 50 %, 10 min left');
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

describe('gl signals', () => {
  const event = (id: string, minute: number, more: object = {}) => ({
    specversion: '1.0',
    id,
    source: '/workspaces/w',
    type: 'file.shared',
    subject: `item ${id}`,
    time: `2026-03-02T09:${String(minute).padStart(2, '0')}:00Z`,
    data: { actor: 'ada', outside: true },
    ...more,
  });
  const put = (name: string, text: string): string => {
    const file = join(home, name);
    writeFileSync(file, text);
    return file;
  };
  const lines = (list: object[]): string => list.map((e) => JSON.stringify(e) + '\n').join('');
  const window = {
    by: 'actor',
    distinct: 'item',
    count: 3,
    within: 'PT10M',
    if: 'type == "file.shared" && outside',
  };

  it('prints what happened often in a short time, late, twice and out of order', () => {
    const events = [
      event('c', 8),
      event('a', 0),
      event('b', 4),
      event('a', 0),
      event('d', 12),
      event('e', 40),
    ];
    const opened = event('f', 5, { type: 'file.opened' });
    const file = put('events.jsonl', lines([...events, opened]));
    const { rows, status } = gl('signals', file, put('window.json', JSON.stringify(window)));
    expect(status).toBe(0);
    expect(rows).toEqual([
      {
        key: 'ada',
        from: '2026-03-02T09:00:00.000Z',
        to: '2026-03-02T09:12:00.000Z',
        distinct: 4,
        events: ['a', 'b', 'c', 'd'],
      },
    ]);
    expect(gl('events', 'check', file).rows).toEqual([
      { type: 'file.opened', events: 1 },
      { type: 'file.shared', events: 6 },
    ]);
  });

  it('says what is wrong with an event or a window, and exits with 2', () => {
    const bad = put(
      'bad.jsonl',
      `${JSON.stringify(event('a', 0, { time: 'noon' }))}\n{"x"\n${JSON.stringify(event('b', 0, { type: 'file.sung' }))}\n`,
    );
    const checked = gl('events', 'check', bad);
    expect(checked.status).toBe(2);
    expect(checked.stderr).toMatch(/line 1: time:.*\n.*line 2: it is not JSON\n.*line 3: type: “file.sung”/);
    const good = put('good.jsonl', lines([event('a', 0)]));
    for (const [change, why] of [
      [{ within: 'P1M' }, /within: takes an ISO 8601 duration/],
      [{ by: 'colour' }, /by: /],
      [{ if: 'outsde' }, /Is “outside” meant/],
      [{ more: 1 }, /more/],
    ] as const) {
      const { status, stderr } = gl(
        'signals',
        good,
        put('wrong.json', JSON.stringify({ ...window, ...change })),
      );
      expect(status).toBe(2);
      expect(stderr).toMatch(why);
    }
    expect(gl('signals', good, join(home, 'nowhere.json')).status).toBe(2);
  });
});

describe('gl orders check', () => {
  it('prints each order in sentences, or everything that is wrong with them', () => {
    const order = {
      format: 'gate-lantern-order',
      version: 1,
      name: 'Four weeks',
      severity: 'medium',
      on: true,
      when: { event: ['file.shared'] },
      if: 'outside',
      steps: [
        { do: 'wait', for: 'P4W' },
        { do: 'look', still: true },
        { do: 'branch', on: { still: true }, then: [{ do: 'stop' }] },
      ],
    };
    const file = join(home, 'order.json');
    writeFileSync(file, JSON.stringify([order]));
    const { rows, status } = gl('orders', 'check', file);
    expect(status).toBe(0);
    expect(rows).toEqual([
      {
        name: 'Four weeks',
        when: 'Somebody shared a file.',
        if: 'outside',
        steps: ['Wait 4 weeks.', 'Look again: go on only if it is still so.', 'If it is still so.', 'Stop.'],
      },
    ]);
    const tell = { do: 'tell', to: [{ owner: true }], subject: '{{ thing.colour }}', text: 't' };
    writeFileSync(file, JSON.stringify({ ...order, if: 'outside >', steps: [tell] }));
    const wrong = gl('orders', 'check', file);
    expect([wrong.status, wrong.rows]).toEqual([2, []]);
    expect(wrong.stderr).toContain('steps[0].subject: There is no field thing.colour here.');
    expect(wrong.stderr).toMatch(/ {2}if: /);
  });
});
