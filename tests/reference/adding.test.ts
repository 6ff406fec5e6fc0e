/** docs/adding.md is followed to the letter in a copy of the tree, and what was added works. */
import { spawnSync } from 'node:child_process';
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';

const copy = mkdtempSync(join(tmpdir(), 'gl-adding-'));
afterAll(() => rmSync(copy, { recursive: true, force: true }));

/** Blocks that say where they go: a file, and after what in it. */
const blocks = [
  ...readFileSync('docs/adding.md', 'utf8').matchAll(/^```\w+ (\S+)(?: after (".*"))?\n([^]*?)^```$/gm),
].map(([, file, after, text]) => ({
  file: file!,
  after: after && (JSON.parse(after) as string),
  text: text!,
}));

const run = (...args: string[]) =>
  spawnSync(process.execPath, args, {
    cwd: copy,
    encoding: 'utf8',
    env: { ...process.env, NODE_OPTIONS: '' },
  });

beforeAll(() => {
  // the tests and benches beside the code are left out: what they ask is asked of the tree itself
  for (const part of [
    'src',
    'docs',
    'demo',
    'standins',
    'scripts',
    '.astro',
    'package.json',
    'tsconfig.json',
    'astro.config.mjs',
    'vitest.config.ts',
  ])
    if (existsSync(part))
      cpSync(part, join(copy, part), { recursive: true, filter: (f) => !f.endsWith('.test.ts') });
  symlinkSync(resolve('node_modules'), join(copy, 'node_modules'));
  for (const { file, after, text } of blocks) {
    const path = join(copy, file);
    const before = existsSync(path) ? readFileSync(path, 'utf8') : '';
    mkdirSync(dirname(path), { recursive: true });
    if (after === undefined) {
      // a file of its own, or something more at the end of one
      writeFileSync(path, before ? `${before}\n${text}` : text);
      continue;
    }
    expect(before.split(after).length, `${file} has “${after}” once`).toBe(2);
    writeFileSync(
      path,
      before.replace(after, () => `${after}\n${text.trimEnd()}`),
    );
  }
});

it('says how in fewer than fifteen lines each, beside what is written', () => {
  const sections = readFileSync('docs/adding.md', 'utf8').split(/^## /m).slice(1);
  expect(sections.length).toBeGreaterThan(8);
  for (const section of sections) {
    const lines = section
      .replaceAll(/^```[^]*?^```$/gm, '')
      .split('\n')
      .slice(1)
      .filter((l) => l.trim());
    expect(lines.length, section.split('\n')[0]).toBeLessThan(15);
  }
});

it('gives a tree whose types fit together', () => {
  const { stdout, status } = run('node_modules/typescript/bin/tsc', '--noEmit', '-p', '.');
  expect(stdout).toBe('');
  expect(status).toBe(0);
}, 300_000);

it('gives a kind of row that is read, kept, surveyed and changed, a command, a view and a job', () => {
  const extract = join(copy, 'extract');
  mkdirSync(extract);
  writeFileSync(
    join(extract, 'manifest.json'),
    JSON.stringify({
      format: 'gate-lantern-extract',
      version: 1,
      takenAt: '2026-03-02T09:00:00Z',
      organisation: { name: 'O', domains: ['o.example'] },
      workspaces: [{ id: 'w', name: 'W', inheritance: 'additive' }],
    }),
  );
  writeFileSync(
    join(extract, 'badges.jsonl'),
    [
      '{"id":"b1","space":"s","name":"Visitor 1","lent":true}',
      '{"id":"b2","space":"s","name":"Visitor 2"}',
      '{"id":"b3"}',
    ].join('\n'),
  );
  const gl = run('--import', 'tsx', 'src/cli/gl.ts', 'badges', extract);
  expect(JSON.parse(gl.stdout)).toEqual({ badges: 2 });

  writeFileSync(
    join(copy, 'ask.ts'),
    `
    import { join } from 'node:path';
    import { cannot } from './src/connectors/abilities.ts';
    import { setWords } from './src/core/remedy/fields.ts';
    import { plannedSchema } from './src/dto/planned.ts';
    import { loadSurvey, movedOn } from './src/engine/loaded.ts';
    import { readExtract } from './src/formats/extract.ts';
    import { Badges } from './src/services/badges.ts';
    import { Jobs } from './src/services/jobs.ts';
    import { openDb } from './src/store/db.ts';
    import { observeOne } from './src/store/observed.ts';
    import { STEPS } from './src/ui/views.ts';

    const db = await openDb(join(process.cwd(), 'db'));
    const survey = async () =>
      (await db.query("insert into survey (kind, state, started_by, started_at) values ('full', 'done', 't', now()) returning id") as { id: number }[])[0]!.id;
    const at = '2026-03-02T09:00:00.000Z';
    const one = await survey();
    const rows: { id: string }[] = [];
    await readExtract(${JSON.stringify(extract)}, { row: (kind, row) => void (kind === 'badge' && rows.push(row)) });
    for (const row of rows) await observeOne(db, one, { kind: 'badge', source: 'drives', id: row.id, doc: row });
    const first = await loadSurvey(db, one, at);
    const two = await survey();
    await observeOne(db, two, { kind: 'badge', source: 'drives', id: 'b2', doc: { ...rows[1], lent: true } });
    const second = await movedOn(db, first, two, at);
    const names = (l: typeof first) => [...l.kept.get('badge')!.values()].map(({ row }) => row);
    const jobs = new Jobs(db, { emit: () => undefined }, () => new Date());
    const badges = new Badges(db, jobs);
    await jobs.add(db, 'badges', 1, 't');
    await jobs.look();
    await jobs.close();
    const change = { kind: 'badge', source: 'drives', id: 'b1', set: { lent: false } } as const;
    console.log(JSON.stringify({
      first: names(first), second: second && names(second), counts: first.counts,
      lent: badges.lent, steps: (await jobs.steps('badges', [1])).get(1)!.map((s) => s.done),
      takes: plannedSchema.safeParse(change).success,
      refuses: plannedSchema.safeParse({ ...change, set: { lent: 'x' } }).success,
      words: setWords('badge', change.set, { what: 'Visitor 1' } as never),
      cannot: [cannot('drives', change), cannot('sites', change)],
      view: STEPS.flatMap((s) => s.views).find((v) => v.path === '/survey/badges')?.name,
    }));
    await db.close();
    `,
  );
  const asked = run('--import', 'tsx', 'ask.ts');
  expect(asked.stderr).toBe('');
  const badge = (n: number, lent?: boolean) => ({
    id: `b${n}`,
    space: 's',
    name: `Visitor ${n}`,
    ...(lent && { lent }),
  });
  expect(JSON.parse(asked.stdout)).toEqual({
    first: [badge(1, true), badge(2)],
    second: [badge(1, true), badge(2, true)],
    counts: [{ source: 'drives', kind: 'badge', n: 2 }],
    lent: 2,
    steps: [2],
    takes: true,
    refuses: false,
    words: 'Take Visitor 1 back',
    cannot: [null, 'A workspace of sites cannot set this.'],
    view: 'Badges',
  });
}, 120_000);
