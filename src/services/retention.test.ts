import { beforeEach, describe, expect, it } from 'vitest';
import type { OpenDb } from '../store/db.ts';
import { Intake } from '../store/intake.ts';
import { mergeStaged, readObserved } from '../store/observed.ts';
import { ownAccounts } from '../../tests/own-accounts.ts';
import { ownDb } from '../../tests/own-db.ts';
import { Retention } from './retention.ts';

const DAY = 86_400_000;
let db: OpenDb;
let now = Date.parse('2026-03-02T09:00:00Z');
let retention: Retention;
const forgotten: number[] = [];
ownDb((own) => {
  db = own;
  const clock = () => new Date(now);
  const { ledger } = ownAccounts(db, clock);
  retention = new Retention(
    db,
    ledger,
    { ask: { forget: (n) => Promise.resolve(forgotten.push(n)) } },
    clock,
  );
});

/** A survey so many days ago that sees these spaces. */
async function survey(daysAgo: number, names: Record<string, string>): Promise<number> {
  const [row] = await db.query<{ id: number }>(
    "insert into survey (kind, state, started_by, started_at, taken_at) values ('full', 'done', 'a', $1, $1) returning id",
    [new Date(now - daysAgo * DAY)],
  );
  const intake = await Intake.begin(db, row!.id, ['s'], ['space']);
  await intake.whole('space', 's');
  await intake.put(
    Object.entries(names).map(([id, name]) => ({
      kind: 'space' as const,
      source: 's',
      id,
      doc: { id, name },
    })),
  );
  await intake.finish();
  await mergeStaged(db, row!.id, intake.added);
  return row!.id;
}
const seen = async (id: number): Promise<Record<string, string>> =>
  Object.fromEntries(
    (await readObserved<{ name: string }>(db, 'space', { survey: id, open: [] })).map((r) => [
      r.id,
      r.doc.name,
    ]),
  );

describe('surveys that are older than is wanted', () => {
  beforeEach(async () => {
    for (const table of ['observed', 'survey']) await db.query(`delete from ${table}`);
    await db.query("delete from setting where name = 'retention'");
    forgotten.length = 0;
  });

  it('are dropped with what only they saw; the others see what they saw, and it is on the ledger', async () => {
    const ids = [
      await survey(90, { a: '1', b: '1' }),
      await survey(40, { a: '2', b: '1' }),
      await survey(20, { a: '2', c: '1' }),
      await survey(1, { a: '3', c: '1' }),
    ];
    const before = await Promise.all(ids.map(seen));
    expect(before[1]).toEqual({ a: '2', b: '1' });
    expect(await retention.drop()).toEqual({ dropped: 0 });
    expect(await retention.set({ surveyDays: 30, runDays: null }, 'ada')).toEqual({ dropped: 2 });
    expect(await Promise.all(ids.slice(2).map(seen))).toEqual(before.slice(2));
    const states = await db.query<{ state: string }>('select state from survey order by id');
    expect(states.map((s) => s.state)).toEqual(['dropped', 'dropped', 'done', 'done']);
    // of a, b and c no version is left that nobody can ask for
    const versions = await db.query<{ n: number }>(
      'select count(*)::int as n from observed where valid_to <= $1',
      [ids[2]],
    );
    expect(versions[0]!.n).toBe(0);
    const [entry] = await db.query<{ after: { surveys: number[]; rows: number } }>(
      "select after from ledger where what = 'surveys.dropped' order by seq desc limit 1",
    );
    expect(entry!.after).toMatchObject({ surveys: ids.slice(0, 2), rows: 2 });
    expect(forgotten).toEqual([ids[2]]);
    // once
    expect(await retention.drop()).toEqual({ dropped: 0 });
  });

  it('are kept where they are the newest two, whatever their age', async () => {
    const ids = [await survey(900, { a: '1' }), await survey(800, { a: '2' }), await survey(700, { a: '3' })];
    expect(await retention.set({ surveyDays: 30, runDays: null }, 'ada')).toEqual({ dropped: 1 });
    expect(await seen(ids[1]!)).toEqual({ a: '2' });
    expect(await seen(ids[2]!)).toEqual({ a: '3' });
    now += DAY;
  });
});

describe('runs and messages that are older than is wanted', () => {
  it('are dropped where they are over, with their questions; suspended sharing stays, and it is on the ledger', async () => {
    const at = (daysAgo: number): Date => new Date(now - daysAgo * DAY);
    const [order] = await db.query<{ id: number }>(
      'insert into standing_order (version) values (1) returning id',
    );
    await db.query(
      "insert into standing_order_version (standing_order, version, doc, made_at, made_by) values ($1, 1, '{}', $2, 'ada')",
      [order!.id, at(100)],
    );
    const run = async (cause: string, ended: Date | null): Promise<number> => {
      const [row] = await db.query<{ id: number }>(
        `insert into order_run (standing_order, version, cause, about, state, at, began_at, ended_at, doc)
         values ($1, 1, $2, $2, $3, 0, $4, $5, '{}') returning id`,
        [order!.id, cause, ended ? 'done' : 'waiting', at(90), ended],
      );
      return row!.id;
    };
    const [old, young, open] = [
      await run('old', at(40)),
      await run('young', at(20)),
      await run('open', null),
    ];
    for (const of of [old, open])
      await db.query(
        `insert into question (run, at, subject, body, answers, doc, made_at, until, state)
         values ($1, 0, 's', 'b', '[]', '{}', $2, $2, 'over')`,
        [of, at(50)],
      );
    await db.query(
      "insert into sharing_suspended (key, name, run, reason, at, by) values ('user:a/b', 'B', $1, 'r', $2, 'x')",
      [old, at(45)],
    );
    const message = (key: string, state: string, made: Date): Promise<{ id: number }[]> =>
      db.query(
        `insert into message (key, way, recipient, name, severity, kind, subject, body, made_at, state, due)
         values ($1, 'mail', 'a@tarntide.example', '', 'high', 'order', 's', 'b', $3, $2, $3) returning id::int as id`,
        [key, state, made],
      );
    const [digest] = await message('digest', 'sent', at(38));
    await message('in it', 'sent', at(39));
    await db.query("update message set digest = $1 where key = 'in it'", [digest!.id]);
    await message('waits', 'waiting', at(60));
    await message('new', 'sent', at(2));
    await retention.set({ surveyDays: null, runDays: 30 }, 'ada');
    const ids = async (sql: string): Promise<unknown[]> =>
      (await db.query<{ x: unknown }>(sql)).map((r) => r.x);
    expect(await ids('select id as x from order_run order by id')).toEqual([young, open]);
    expect(await ids('select run as x from question')).toEqual([open]);
    expect(await ids('select run as x from sharing_suspended')).toEqual([null]);
    expect(await ids('select key as x from message order by key')).toEqual(['new', 'waits']);
    expect(await ids("select after as x from ledger where what = 'runs.dropped'")).toEqual([
      { runs: 1, messages: 2, keptFor: 30 },
    ]);
  });
});
