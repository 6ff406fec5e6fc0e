import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { newDatabase, SERVER } from '../../tests/own-db.ts';
import { copyText, openDb, type OpenDb } from './db.ts';
import {
  asOf,
  digestOf,
  mergeStaged,
  observeOne,
  readObserved,
  storableJson,
  unmerge,
  type StagedRow,
} from './observed.ts';
import { Intake, takeBackDirect } from './intake.ts';

const home = mkdtempSync(join(tmpdir(), 'gl-db-'));
const drops: (() => Promise<void>)[] = [];
afterAll(async () => {
  for (const drop of drops) await drop();
  rmSync(home, { recursive: true, force: true });
});

/** Where a new store is: a directory, or a database of the server that tests are run against. */
async function place(name: string): Promise<string> {
  if (!SERVER) return join(home, name);
  const { url, drop } = await newDatabase(SERVER);
  drops.push(drop);
  return url;
}

describe('the store', () => {
  let db: OpenDb;
  beforeAll(async () => {
    db = await openDb(await place('one'));
  }, 60_000);
  afterAll(() => db.close());

  it('brings bulk rows in and out unchanged, whatever is in them', async () => {
    await db.query('create table bulk (n int, t text)');
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.option(fc.string({ unit: 'binary' })), { minLength: 1, maxLength: 20 }),
        async (texts) => {
          const rows = texts.map((t, i) => [i, t?.toWellFormed() ?? null] as const);
          await db.copyIn('bulk', ['n', 't'], copyText(rows));
          const back = await db.query<{ t: string | null }>('select t from bulk order by n');
          expect(back.map((r) => r.t)).toEqual(rows.map((r) => r[1]?.replaceAll('\0', '\uFFFD') ?? null));
          await db.query('truncate bulk');
        },
      ),
      { numRuns: 60 },
    );
    await db.copyIn('bulk', ['n', 't'], copyText([[1, 'a\tb']]));
    expect(new TextDecoder().decode(await db.copyOut('select n, t from bulk'))).toBe('1\ta\\tb\n');
    expect(await db.copyOut('select n, t from bulk where n > 1')).toHaveLength(0);
  });

  it('gives a transaction the database to itself, and undoes one that throws or whose thread is gone', async () => {
    await db.query('create table counter (n int)');
    await db.query('insert into counter values (0)');
    const raise = () =>
      db.transaction(async (tx) => {
        const [row] = await tx.query<{ n: number }>('select n from counter');
        await tx.query('update counter set n = $1', [row!.n + 1]);
      });
    await Promise.all(Array.from({ length: 20 }, raise));
    await expect(
      db.transaction(async (tx) => {
        await tx.query('update counter set n = 99');
        throw new Error('no');
      }),
    ).rejects.toThrow('no');
    expect(await db.query('select n from counter')).toEqual([{ n: 20 }]);
  });

  it('keeps every version of what surveys saw, and answers as of any of them', async () => {
    const survey = () =>
      db
        .query<{ id: number }>(
          "insert into survey (kind, state, started_by, started_at) values ('full', 'done', 't', now()) returning id",
        )
        .then((r) => r[0]!.id);
    const rowsOf: Record<string, unknown>[] = [
      { a: 1, b: 1 },
      { a: 1, b: 2, c: 3 },
      { b: 2 },
      { a: 1, b: 2 },
    ];
    const ids: number[] = [];
    for (const rows of rowsOf) {
      const id = await survey();
      ids.push(id);
      const intake = await Intake.begin(db, id, ['s'], ['item']);
      await intake.whole('item', 's');
      await intake.put(
        Object.entries(rows).map(([k, v]) => ({ kind: 'item' as const, source: 's', id: k, doc: { v } })),
      );
      await intake.finish();
      await mergeStaged(db, id, intake.added, { rowsAtOnce: 2 });
      await db.query('truncate staged');
    }
    const seen = async (id: number) =>
      Object.fromEntries(
        (await readObserved<{ v: unknown }>(db, 'item', { survey: id, open: [] })).map((r) => [
          r.id,
          r.doc.v,
        ]),
      );
    for (const [i, rows] of rowsOf.entries()) expect(await seen(ids[i]!)).toEqual(rows);
    // what did not change has one version
    expect(await db.query("select 1 from observed where source = 's' and id = 'b'")).toHaveLength(2);
    const later = await survey();
    await db.transaction((tx) => observeOne(tx, later, { kind: 'item', source: 's', id: 'a', doc: null }));
    expect(await seen(later)).toEqual({ b: 2 });
    expect(await seen(ids[3]!)).toEqual(rowsOf[3]);
  });

  it('takes surveys in, whole or what changed, as if each row were put in its place, and takes back what was half done', async () => {
    const row = fc.record({
      source: fc.constantFrom('p', 'q'),
      id: fc.constantFrom('', 'a', 'b', 'B', 'ä', '語', 'a b', 'c', 'd'),
      doc: fc.constantFrom(null, { v: 1 }, { v: 2 }),
    });
    const surveyed = fc.record({
      // the later word on a row counts
      rows: fc.array(row, { maxLength: 14 }),
      at: fc.integer({ min: 1, max: 5 }),
      /** Of these all rows come, and some could not be read. */
      whole: fc.subarray(['p', 'q']),
      unread: fc.uniqueArray(row, { selector: (r) => `${r.source}/${r.id}`, maxLength: 2 }),
      /** One that failed on the way. */
      failed: fc.option(fc.constantFrom('p', 'q'), { nil: undefined, freq: 6 }),
      /** Rows of before are not known by their digests, or are by those of another text. */
      digests: fc.constantFrom('known', 'null', 'other'),
      rowsAtOnce: fc.integer({ min: 1, max: 5 }),
      stopAfter: fc.option(fc.nat(3), { nil: undefined }),
    });
    const present = async (): Promise<Map<string, string>> =>
      new Map(
        (
          await db.query<{ key: string; doc: string }>(
            "select source || '/' || id as key, doc::text from observed where kind = 'group' and valid_to is null",
          )
        ).map((r) => [r.key, r.doc]),
      );
    const versions = () =>
      db.query(
        "select kind, source, id, doc, valid_from, valid_to from observed where kind = 'group' order by source, id, valid_from",
      );
    const inForce = async (survey: number): Promise<Map<string, string>> =>
      new Map(
        (await readObserved<{ v: number }>(db, 'group', await asOf(db, survey))).map((r) => [
          `${r.source}/${r.id}`,
          `{"v": ${r.doc.v}}`,
        ]),
      );
    let written = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(surveyed, { minLength: 1, maxLength: 4 }), async (surveys) => {
        await db.query('delete from observed');
        await db.query("update survey set state = 'failed', direct = '{}'");
        let last: number | undefined;
        for (const { rows, at, whole, unread, failed, digests, rowsAtOnce, stopAfter } of surveys) {
          if (digests !== 'known')
            await db.query('update observed set digest = $1', [digests === 'null' ? null : digestOf('{}')]);
          const [before, kept] = [await present(), await versions()];
          const [{ id }] = (await db.query<{ id: number }>(
            "insert into survey (kind, state, started_by, started_at) values ('full', 'running', 't', now()) returning id",
          )) as [{ id: number }];
          await db.query(
            `insert into job (kind, subject, started_by, state, due, steps)
             values ('survey', $1, 't', 'running', now(), '[{"name": "taking over", "state": "running"}]')`,
            [id],
          );
          const intake = await Intake.begin(db, id, ['p', 'q'], ['group']);
          for (const source of whole) await intake.whole('group', source);
          for (let n = 0; n < rows.length; n += at)
            await intake.put(rows.slice(n, n + at).map((r): StagedRow => ({ kind: 'group', ...r })));
          for (const r of unread) intake.keep('group', r.source, r.id);
          if (failed) await intake.forget(failed);
          const stop = new AbortController();
          let parts = 0;
          const merge = async () => {
            await intake.finish();
            return mergeStaged(db, id, intake.added, {
              rowsAtOnce,
              signal: stop.signal,
              progress: () => ++parts === stopAfter && stop.abort(),
            });
          };
          const merged = stopAfter === 0 ? undefined : await merge().catch(() => undefined);
          written += intake.added;
          // until it is done nobody sees any of it
          if (last !== undefined) expect(await inForce(last)).toEqual(before);
          if (!merged) {
            await db.query("update survey set state = 'failed' where id = $1", [id]);
            for (let twice = 0; twice < 2; twice++) await db.transaction((tx) => unmerge(tx, id));
            if (last !== undefined) expect(await inForce(last)).toEqual(before);
            for (let twice = 0; twice < 2; twice++) await takeBackDirect(db);
            expect(await versions()).toEqual(kept);
            continue;
          }
          const expected = new Map(before);
          const keeps = (key: string) => unread.some((r) => `${r.source}/${r.id}` === key);
          for (const key of before.keys())
            if (whole.includes(key[0]!) && key[0] !== failed && !keeps(key)) expected.delete(key);
          for (const r of rows) {
            if (r.source === failed) continue;
            expected.delete(`${r.source}/${r.id}`);
            if (r.doc) expected.set(`${r.source}/${r.id}`, `{"v": ${r.doc.v}}`);
          }
          expect(await present()).toEqual(expected);
          const keys = [...new Set([...before.keys(), ...expected.keys()])];
          expect(merged).toEqual({
            added: keys.filter((k) => !before.has(k)).length,
            removed: keys.filter((k) => !expected.has(k)).length,
            altered: keys.filter((k) => before.has(k) && expected.has(k) && before.get(k) !== expected.get(k))
              .length,
          });
          // what has not changed keeps its version
          for (const v of kept as { source: string; id: string; valid_to: number | null }[])
            if (
              v.valid_to === null &&
              before.get(`${v.source}/${v.id}`) === expected.get(`${v.source}/${v.id}`)
            )
              expect(await versions()).toContainEqual(v);
          await db.query("update survey set state = 'done' where id = $1", [id]);
          last = id;
        }
      }),
      { numRuns: 80 },
    );
    expect(written).toBeGreaterThan(0);
  });

  it('lets what was observed under a later number stand', async () => {
    const begin = async (): Promise<number> =>
      (
        await db.query<{ id: number }>(
          "insert into survey (kind, state, started_by, started_at) values ('full', 'done', 't', now()) returning id",
        )
      )[0]!.id;
    const row = (doc: unknown): StagedRow => ({ kind: 'link', source: 's', id: 'l', doc });
    const [first, slow, readBack] = [await begin(), await begin(), await begin()];
    await db.transaction((tx) => observeOne(tx, first, row({ v: 1 })));
    const intake = await Intake.begin(db, slow, ['s'], ['link']);
    await intake.whole('link', 's');
    await intake.put([row({ v: 2 })]);
    await db.transaction((tx) => observeOne(tx, readBack, row(null)));
    await intake.finish();
    await mergeStaged(db, slow, intake.added);
    expect(await readObserved(db, 'link', { survey: readBack, open: [] })).toEqual([]);
    expect(await readObserved(db, 'link', { survey: slow, open: [] })).toHaveLength(1);
  });

  it('stores JSON that jsonb would refuse', async () => {
    const nasty = { t: 'a\0b\ud800c', ok: 'é\\u0000', list: [{ 'k\0': 1, ['__proto__']: '\0' }] };
    const [row] = await db.query<{ j: unknown }>('select $1::jsonb as j', [storableJson(nasty)]);
    expect(row!.j).toEqual({
      t: 'a\ufffdb\ufffdc',
      ok: 'é\\u0000',
      list: [{ 'k\ufffd': 1, ['__proto__']: '\ufffd' }],
    });
  });
});

describe('migrations', () => {
  it('are applied in order once, and refused when one that was applied has changed or is gone', async () => {
    const dir = mkdtempSync(join(home, 'm-'));
    const data = await place('two');
    writeFileSync(join(dir, '001-a.sql'), 'create table a (n int);');
    await (await openDb(data, dir)).close();
    writeFileSync(join(dir, '002-b.sql'), 'create table b (n int); insert into b values (7);');
    const again = await openDb(data, dir);
    expect(await again.query('select n from b')).toEqual([{ n: 7 }]);
    await again.close();
    writeFileSync(join(dir, '001-a.sql'), 'create table a (n bigint);');
    await expect(openDb(data, dir)).rejects.toThrow(/001-a\.sql has changed/);
    writeFileSync(join(dir, '001-a.sql'), 'create table a (n int);');
    rmSync(join(dir, '002-b.sql'));
    await expect(openDb(data, dir)).rejects.toThrow(/newer version/);
  }, 90_000);
});

describe('kill -9 during writes', () => {
  it('loses nothing that was confirmed, and keeps nothing half done', async () => {
    const data = await place('three');
    const writer = fileURLToPath(new URL('../../tests/kill-writer.ts', import.meta.url));
    let confirmed = 0;
    for (let round = 0; round < 4; round++) {
      const child = spawn(process.execPath, ['--import', 'tsx', writer, data], {
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      const stopAfter = 5 + round * 17;
      let seen = 0;
      for await (const line of createInterface({ input: child.stdout })) {
        confirmed = Math.max(confirmed, Number(line));
        if (++seen >= stopAfter) child.kill('SIGKILL');
      }
      const db = await openDb(data);
      const rows = await db.query<{ n: number; parts: number }>(
        'select n, count(*)::int as parts from pair group by n order by n',
      );
      expect(rows.length).toBeGreaterThanOrEqual(confirmed);
      expect(rows.slice(0, confirmed).map((r) => r.n)).toEqual(
        Array.from({ length: confirmed }, (_, i) => i + 1),
      );
      // each transaction wrote two rows: both are there or neither
      expect(rows.every((r) => r.parts === 2)).toBe(true);
      await db.close();
    }
    expect(confirmed).toBeGreaterThan(50);
  }, 120_000);
});
