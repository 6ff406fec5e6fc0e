/** A survey that follows on the one in force, made from what differs, against reading it as a whole. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { loadSurvey, movedOn } from '../src/engine/loaded.ts';
import { copyText, openDb, type OpenDb } from '../src/store/db.ts';
import { observeOne } from '../src/store/observed.ts';
import { generate, sizeOf } from './organisation.ts';
import { ratio } from './ratios.ts';

const SOURCE = 'bench';
const TAKEN = '2026-06-01T00:00:00.000Z';
const CHANGES = 100;
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
    const grants: { id: string }[] = [];
    generate(sizeOf(scale), {
      person: (r) => put('person', r),
      group: (r) => put('group', r),
      space: (r) => put('space', r),
      item: (r) => put('item', r),
      grant: (r) => {
        if (grants.length < CHANGES) grants.push(r);
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
    await db.query('analyze observed');
    const [loaded, whole] = await seconds(() => loadSurvey(db, first, TAKEN));
    const second = await newSurvey(db);
    await db.transaction(async (tx) => {
      for (const { id } of grants)
        await observeOne(tx, second, { kind: 'grant', source: SOURCE, id, doc: null });
    });
    const [next, moving] = await seconds(() => movedOn(db, loaded, second, TAKEN));
    if (!next || next.org.entries.ids.length !== loaded.org.entries.ids.length - grants.length)
      throw new Error('The survey was not made from what differs.');
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
