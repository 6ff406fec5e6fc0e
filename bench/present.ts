/** A survey that follows on the one in force, made from what differs, against reading it as a whole. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { STARTERS } from '../src/core/guard/starters.ts';
import type { Policy } from '../src/core/guard/schema.ts';
import { runPolicy } from '../src/engine/judged.ts';
import { hitKey } from '../src/engine/keys.ts';
import { loadSurvey, movedOn } from '../src/engine/loaded.ts';
import { copyText, openDb, type OpenDb } from '../src/store/db.ts';
import { observeOne } from '../src/store/observed.ts';
import { generate, sizeOf } from './organisation.ts';
import { ratio } from './ratios.ts';

const SOURCE = 'bench';
const TAKEN = '2026-06-01T00:00:00.000Z';
const CHANGES = 1000;
const RULES = 40;
const AT_ONCE = 20_000;

const seconds = async <T>(work: () => Promise<T>): Promise<[T, number]> => {
  const from = performance.now();
  const value = await work();
  return [value, (performance.now() - from) / 1000];
};

async function newSurvey(db: OpenDb): Promise<number> {
  const [made] = await db.query<{ id: number }>(
    "insert into survey (kind, state, started_by, started_at, taken_at) values ('full', 'done', 'bench', $1, $1) returning id",
    [TAKEN],
  );
  return made!.id;
}

export async function present(scale: number): Promise<void> {
  const home = mkdtempSync(join(tmpdir(), 'gl-bench-'));
  const db = await openDb(join(home, 'db'));
  try {
    const first = await newSurvey(db);
    const rows: (string | number | null)[][] = [];
    const put = (kind: string, doc: { id: string }): void =>
      void rows.push([kind, SOURCE, doc.id, JSON.stringify(doc), first, null]);
    for (const id of ['additive', 'breakable'] as const)
      put('about', {
        id,
        organisation: { name: 'Bench', domains: ['own.example'], partnerDomains: [] },
        workspace: { id, name: id, inheritance: id },
      } as { id: string });
    const all: { id: string }[] = [];
    generate(sizeOf(scale), {
      person: (r) => put('person', r),
      group: (r) => put('group', r),
      space: (r) => put('space', r),
      item: (r) => put('item', r),
      grant: (r) => {
        all.push(r);
        put('grant', r);
      },
      link: (r) => put('link', r),
    });
    for (let at = 0; at < rows.length; at += AT_ONCE)
      await db.copyIn(
        'observed',
        ['kind', 'source', 'id', 'doc', 'valid_from', 'valid_to'],
        copyText(rows.slice(at, at + AT_ONCE)),
      );
    const grants = all.filter((_, n) => n % Math.ceil(all.length / CHANGES) === 0);
    await db.query('analyze observed');
    const [loaded, whole] = await seconds(() => loadSurvey(db, first, TAKEN));
    const starters = STARTERS.flatMap((s) => s.policy.rules.filter((r) => r.atRest));
    const policy: Policy = {
      format: 'gate-lantern-policy',
      version: 1,
      name: 'bench',
      rules: Array.from({ length: RULES }, (_, n) => ({
        ...starters[Math.floor((n * starters.length) / RULES)]!,
        id: `r${n}`,
      })),
    };
    const judged = await runPolicy(loaded, policy, []);
    if (judged.wrong.length || !judged.differing.found.length)
      throw new Error(`Nothing was judged: ${JSON.stringify(judged.wrong)}`);
    const known = judged.differing.found.map((f) => ({ key: hitKey(f.rule, f.key), told: f.told }));
    const second = await newSurvey(db);
    await db.transaction(async (tx) => {
      for (const { id } of grants)
        await observeOne(tx, second, { kind: 'grant', source: SOURCE, id, doc: null });
    });
    const [next, moving] = await seconds(() => movedOn(db, loaded, second, TAKEN));
    if (!next || next.org.entries.ids.length !== loaded.org.entries.ids.length - grants.length)
      throw new Error('The survey was not made from what differs.');
    const [again, judging] = await seconds(() => runPolicy(next, policy, known));
    // the same, by one who knows nothing of the survey before
    const [anew, all40] = await seconds(() => runPolicy(next, { ...policy, purpose: 'anew' }, known));
    if (
      JSON.stringify([again.hits, again.differing.gone.length]) !==
      JSON.stringify([anew.hits, anew.differing.gone.length])
    )
      throw new Error('Judged of what has changed is not what it is judged as a whole.');
    ratio(`${RULES} rules after a survey of ${CHANGES} differences, against judging all`, judging, all40);
    process.stdout.write(
      `${RULES} rules, ${known.length.toLocaleString('en')} hits: ${judging.toFixed(2)} s after ${grants.length} differences (${next.unchanged ? `${next.unchanged.spaces.reduce((a, b) => a + b, 0)} of ${next.org.spaces.length} spaces unchanged` : 'all judged'}), ${all40.toFixed(1)} s for all\n`,
    );
    ratio(
      `a survey of ${CHANGES} differences over ${rows.length} rows, against reading it as a whole`,
      moving,
      whole,
    );
    process.stdout.write(
      `${rows.length.toLocaleString('en')} rows: read as a whole ${whole.toFixed(1)} s; made from ${CHANGES} differences ${moving.toFixed(2)} s\n`,
    );
  } finally {
    await db.close();
    rmSync(home, { recursive: true, force: true });
  }
}
