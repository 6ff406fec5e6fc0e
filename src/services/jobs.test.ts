/** Jobs on a real database, with a clock of the test's own. */
import { log } from './log.ts';
import { beforeEach, expect, it, vi } from 'vitest';
import type { JobNews } from '../dto/jobs.ts';
import type { OpenDb } from '../store/db.ts';
import { ownDb } from '../../tests/own-db.ts';
import { Jobs, type Job } from './jobs.ts';

let db: OpenDb;
let now = Date.parse('2026-03-02T09:00:00Z');
const clock = (): Date => new Date(now);
ownDb((own) => void (db = own));
beforeEach(async () => {
  await db.query('delete from job');
});

/** Work that goes on until it is let go, once for each time it is begun. */
function held() {
  const begun: { job: Job; let(error?: Error): void }[] = [];
  const run = (job: Job): Promise<void> =>
    new Promise((resolve, reject) =>
      begun.push({ job, let: (error) => (error ? reject(error) : resolve()) }),
    );
  return { begun, run };
}
function made(news: JobNews[] = []) {
  const jobs = new Jobs(db, { emit: (e) => e.type === 'job' && news.push(structuredClone(e)) }, clock);
  const [plans, surveys] = [held(), held()];
  const interrupted: number[] = [];
  jobs.declare('plan', { run: plans.run, broken: 'again' });
  jobs.declare('survey', {
    run: surveys.run,
    broken: (_, subject) => Promise.resolve(void interrupted.push(subject)),
  });
  return { jobs, plans: plans.begun, surveys: surveys.begun, interrupted };
}
const rows = () =>
  db.query<{ kind: string; subject: number; state: string; steps: object[] }>(
    'select kind, subject, state, steps from job order by id',
  );
const states = async () => (await rows()).map((r) => `${r.kind} ${r.subject} ${r.state}`);

it('does one job of a kind after another, and kinds beside one another', async () => {
  const { jobs, plans, surveys } = made();
  for (const [kind, subject] of [
    ['plan', 1],
    ['plan', 2],
    ['survey', 9],
  ] as const)
    await jobs.add(db, kind, subject, 'ada');
  await jobs.look();
  expect([plans, surveys].map((begun) => begun.map((b) => b.job.subject))).toEqual([[1], [9]]);
  plans[0]!.let();
  await vi.waitFor(() => expect(plans.map((b) => b.job.subject)).toEqual([1, 2]));
  expect(await states()).toEqual(['plan 1 done', 'plan 2 running', 'survey 9 running']);
  plans[1]!.let();
  surveys[0]!.let();
  await jobs.close();
  expect(await states()).toEqual(['plan 1 done', 'plan 2 done', 'survey 9 done']);
});

it('begins nothing before its time, can be told another, and forgets what is taken off', async () => {
  const { jobs, plans } = made();
  const at = new Date(now + 60_000);
  await jobs.add(db, 'plan', 1, 'ada', at);
  await jobs.add(db, 'plan', 2, 'ada', at);
  await jobs.add(db, 'plan', 3, 'ada', new Date(now + 3_600_000));
  await jobs.look();
  expect(plans).toEqual([]);
  await jobs.drop(db, 'plan', 2);
  await jobs.add(db, 'plan', 3, 'bo', at);
  now += 60_000;
  await jobs.look();
  plans[0]!.let();
  await vi.waitFor(() =>
    expect(plans.map((b) => [b.job.subject, b.job.by])).toEqual([
      [1, 'ada'],
      [3, 'bo'],
    ]),
  );
  plans[1]!.let();
  await jobs.close();
});

it('begins by itself when the time has come', async () => {
  const { jobs, plans } = made();
  await jobs.add(db, 'plan', 1, 'ada', new Date(now + 30));
  await jobs.look();
  expect(plans).toEqual([]);
  now += 30;
  await vi.waitFor(() => expect(plans).toHaveLength(1));
  plans[0]!.let();
  await jobs.close();
});

it('after a crash begins again what resumes, and ends the rest as interrupted, once', async () => {
  const before = made();
  await before.jobs.add(db, 'plan', 1, 'ada');
  await before.jobs.add(db, 'survey', 9, 'ada');
  await before.jobs.look();
  const { jobs, plans, surveys, interrupted } = made();
  await jobs.takeUp();
  await jobs.look();
  expect(await states()).toEqual(['plan 1 running', 'survey 9 interrupted']);
  expect([plans.map((b) => b.job.by), surveys, interrupted]).toEqual([['ada'], [], [9]]);
  plans[0]!.let();
  await jobs.close();
  await made().jobs.takeUp();
  expect(interrupted).toEqual([9]);
});

it('asked for again while it runs, runs once more', async () => {
  const { jobs, plans } = made();
  await jobs.add(db, 'plan', 1, 'ada');
  await jobs.look();
  await jobs.add(db, 'plan', 1, 'bo');
  await jobs.add(db, 'plan', 1, 'cy');
  await jobs.look();
  expect(plans).toHaveLength(1);
  plans[0]!.let();
  await vi.waitFor(() => expect(plans.map((b) => b.job.by)).toEqual(['ada', 'cy']));
  plans[1]!.let();
  await jobs.close();
  expect(await states()).toEqual(['plan 1 done', 'plan 1 done']);
});

it('that an error stopped waits and begins again, or has failed', async () => {
  const said = vi.spyOn(log, 'error').mockImplementation(() => undefined);
  const { jobs, plans, surveys } = made();
  await jobs.add(db, 'plan', 1, 'ada');
  await jobs.add(db, 'survey', 9, 'ada');
  await jobs.look();
  plans[0]!.let(new Error('the disk is full'));
  surveys[0]!.let(new Error('the disk is full'));
  await vi.waitFor(async () => expect(await states()).toEqual(['plan 1 waiting', 'survey 9 failed']));
  await jobs.look();
  expect(plans).toHaveLength(1);
  now += 15_000;
  await jobs.look();
  expect(plans).toHaveLength(2);
  plans[1]!.let();
  await jobs.close();
  expect(said).toHaveBeenCalledTimes(2);
  said.mockRestore();
});

it('tells how far it is, keeps that, and is told to stop', async () => {
  const news: JobNews[] = [];
  const { jobs, surveys } = made(news);
  await jobs.add(db, 'survey', 9, 'ada');
  await jobs.look();
  const { job } = surveys[0]!;
  const step = {
    name: 'items',
    state: 'running',
    done: 3,
    total: 5,
    failed: 0,
    startedAt: null,
    finishedAt: null,
    note: null,
  } as const;
  job.tell([step]);
  expect(jobs.current('survey')).toEqual({ subject: 9, steps: [step] });
  expect([jobs.cancel('survey', 8), jobs.cancel('plan', 9), job.signal.aborted]).toEqual([
    false,
    false,
    false,
  ]);
  expect([jobs.cancel('survey', 9), job.signal.aborted]).toEqual([true, true]);
  surveys[0]!.let();
  await jobs.wait('survey');
  expect(jobs.current('survey')).toBeUndefined();
  expect((await jobs.steps('survey', [9, 10])).get(9)).toEqual([step]);
  expect(news.map((n) => [n.subject, n.state, n.steps.length])).toEqual([
    [9, 'running', 1],
    [9, 'done', 1],
  ]);
  await jobs.close();
});

it('closed in the middle leaves it to the next start to say so', async () => {
  const { jobs, surveys } = made();
  await jobs.add(db, 'survey', 9, 'ada');
  await jobs.look();
  const closing = jobs.close();
  surveys[0]!.let(new Error('its thread was ended'));
  await closing;
  expect(await states()).toEqual(['survey 9 running']);
});
