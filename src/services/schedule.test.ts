/** What runs in a rhythm, with a clock of the test's own. */
import { expect, it, vi } from 'vitest';
import type { OpenDb } from '../store/db.ts';
import { ownDb } from '../../tests/own-db.ts';
import { Jobs } from './jobs.ts';
import { Ledger } from './ledger.ts';
import { Schedule } from './schedule.ts';

let db: OpenDb;
let now = Date.parse('2026-03-28T12:00:00Z');
const clock = (): Date => new Date(now);
ownDb((own) => void (db = own));

/** The application, begun on the database as it is. */
async function begin() {
  const jobs = new Jobs(db, { emit: () => undefined }, clock);
  const made: string[] = [];
  const schedule = new Schedule(
    db,
    new Ledger(db, clock),
    jobs,
    {
      start: (_by, kind) => {
        made.push(`${new Date(now).toISOString()} ${kind}`);
        return Promise.resolve(1);
      },
    },
    clock,
  );
  jobs.declare('policy', { broken: 'again', run: () => Promise.resolve() });
  await jobs.takeUp();
  return { jobs, schedule, made };
}
const dues = async (schedule: Schedule): Promise<string[]> =>
  (await schedule.waiting()).map((w) => `${w.kind} ${w.subject} ${w.due}`);

it('makes a survey once each time it is due, by the clock of its zone, whatever was missed meanwhile', async () => {
  const oslo = {
    zone: 'Europe/Oslo',
    full: 'FREQ=WEEKLY;BYDAY=SU;BYHOUR=2;BYMINUTE=30',
    incremental: 'FREQ=DAILY;BYHOUR=5',
  };
  const first = await begin();
  await first.schedule.set(oslo, 'ada');
  // on this Sunday there is no half past two in Oslo
  expect(await dues(first.schedule)).toEqual([
    'survey-rhythm 0 2026-03-29T01:30:00.000Z',
    'survey-rhythm 1 2026-03-29T03:00:00.000Z',
  ]);
  now = Date.parse('2026-03-29T01:30:00Z');
  await first.jobs.look();
  await vi.waitFor(() => expect(first.made).toEqual(['2026-03-29T01:30:00.000Z full']));
  await vi.waitFor(async () =>
    expect(await dues(first.schedule)).toContain('survey-rhythm 0 2026-04-05T00:30:00.000Z'),
  );
  await first.jobs.close();
  // for four days nothing ran: what was due runs once
  now = Date.parse('2026-04-02T12:00:00Z');
  const second = await begin();
  await second.jobs.look();
  await vi.waitFor(() => expect(second.made).toEqual(['2026-04-02T12:00:00.000Z incremental']));
  await vi.waitFor(async () =>
    expect(await dues(second.schedule)).toEqual([
      'survey-rhythm 1 2026-04-03T03:00:00.000Z',
      'survey-rhythm 0 2026-04-05T00:30:00.000Z',
    ]),
  );
  // the clock is put back: nothing runs again before its time
  now = Date.parse('2026-04-02T06:00:00Z');
  await second.jobs.look();
  expect(second.made.length).toBe(1);
  await second.schedule.set({ ...oslo, full: null, zone: 'UTC' }, 'ada');
  expect(await dues(second.schedule)).toEqual(['survey-rhythm 1 2026-04-03T05:00:00.000Z']);
  await second.jobs.close();
  expect(await db.query("select 1 from job where state <> 'waiting'")).toEqual([]);
});

it('moves policies to the clock of another zone', async () => {
  now = Date.parse('2026-06-01T12:00:00Z');
  await db.query("insert into policy (name, version, made_at, made_by) values ('p', 1, $1, 'ada')", [
    clock(),
  ]);
  const [p] = await db.query<{ id: number }>('select id from policy');
  await db.query(
    "insert into policy_version (policy, version, doc, made_at, made_by, note) values ($1, 1, $2::jsonb, $3, 'ada', '')",
    [p!.id, JSON.stringify({ rhythm: 'FREQ=DAILY;BYHOUR=5' }), clock()],
  );
  const { jobs, schedule } = await begin();
  await jobs.add(db, 'policy', p!.id, 'ada', new Date('2026-06-02T05:00:00Z'));
  await schedule.set({ zone: 'America/New_York', full: null, incremental: null }, 'ada');
  expect(await schedule.waiting()).toMatchObject([
    { kind: 'policy', name: 'p', due: '2026-06-02T09:00:00.000Z' },
  ]);
  await jobs.close();
});
