/**
 * Plans carried out on a real database, while a steward pauses, resumes, stops, undoes and retries at any moment,
 * workspaces misbehave, and the application dies and starts again.
 */
import { log } from '../log.ts';
import fc from 'fast-check';
import { beforeAll, describe, expect, it, vi } from 'vitest';
import { agrees, isDone, TROUBLED, type ChangeState } from '../../core/remedy/states.ts';
import type { OpenDb, Db } from '../../store/db.ts';
import { Crash, FAULTS, MisbehavingWorkspace, type Call } from '../../../tests/misbehaving.ts';
import { ownDb } from '../../../tests/own-db.ts';
import { AppError } from '../errors.ts';
import { Jobs } from '../jobs.ts';
import { Ledger } from '../ledger.ts';
import type { Drafts } from './drafts.ts';
import type { PlanParts } from './parts.ts';
import type { Proofs } from './proof.ts';
import { movePlan, stepsOf, type Head } from './rows.ts';
import { Runner } from './runner.ts';

let workspaces: Record<string, MisbehavingWorkspace>;
/** Processes by number: one that has ended asks nothing of a workspace any more, whatever it was waiting for. */
const lives: Life[] = [];
vi.mock('../../connectors/http-connectors.ts', () => ({
  connectForChange: (_kind: string, { url, token }: { url: string; token: string }) =>
    new Proxy(workspaces[url]!, {
      get: (of, name) => {
        const method = Reflect.get(of, name) as (...args: unknown[]) => Promise<unknown>;
        return (...args: unknown[]) =>
          lives[Number(token)]!.dead ? new Promise(() => undefined) : method.apply(of, args);
      },
    }),
}));

let db: OpenDb;
ownDb((own) => void (db = own));
beforeAll(async () => {
  await db.query(
    "insert into survey (kind, state, started_by, started_at, taken_at) values ('full', 'done', 'test', now(), now())",
  );
});

const SOURCES = ['drives', 'sites'];
const OPERATIONS = ['pause', 'goOn', 'cancel', 'undo', 'retry', 'die'] as const;
type Operation = (typeof OPERATIONS)[number];

const rowOf = (n: number): object => ({ id: `g${n}`, item: `i${n}`, group: 'crew', role: 'editor' });

async function newPlan(changes: number): Promise<number> {
  const [plan] = await db.query<{ id: number }>(
    "insert into plan (name, reason, state, survey, made_by, made_at, preview) values ('p', '', 'draft', 1, 'ada', now(), '{}') returning id",
  );
  for (let n = 0; n < changes; n++)
    await db.query(
      `insert into plan_change (plan, seq, kind, source, object, before, change, state, apply_key, undo_key)
       values ($1, $2, 'grant', $3, $4, $5::jsonb, $6::jsonb, 'planned', $7, $8)`,
      [
        plan!.id,
        n + 1,
        SOURCES[n % 2],
        `g${n}`,
        JSON.stringify(rowOf(n)),
        n % 3 ? JSON.stringify({ role: 'reader' }) : null,
        `${plan!.id}/${n}/apply`,
        `${plan!.id}/${n}/undo`,
      ],
    );
  return plan!.id;
}

/** The life of a process. */
class Life {
  dead = false;
  private end: () => void = () => undefined;
  readonly death = new Promise<void>((resolve) => (this.end = resolve));
  die(): void {
    this.dead = true;
    this.end();
  }
}

/** A database that belongs to a process: after its death nothing is written any more, and what was begun is taken back. */
function mortal(life: Life): Db {
  const guarded = (inner: Db, inside: boolean): Db => ({
    query: (sql, params) =>
      life.dead
        ? inside
          ? Promise.reject(new Crash())
          : new Promise(() => undefined)
        : inner.query(sql, params),
    transaction: (work) =>
      life.dead
        ? new Promise(() => undefined)
        : inner.transaction(async (tx) => {
            const result = await work(guarded(tx, true));
            if (life.dead) throw new Crash();
            return result;
          }),
    snapshot: (work) => inner.snapshot(work),
    after: (work) => inner.after(work),
    copyIn: (...args) => inner.copyIn(...args),
    copyOut: (select) => inner.copyOut(select),
  });
  return guarded(db, false);
}

/** Starts the application: what it is made of, on the database as it is. */
async function start(clock: () => Date) {
  const life = new Life();
  const token = String(lives.push(life) - 1);
  const own = mortal(life);
  const events = { emit: () => undefined };
  const ledger = new Ledger(own, clock);
  const jobs = new Jobs(own, events, clock);
  const parts = {
    db: own,
    ledger,
    jobs,
    events,
    clock,
    surveys: {
      sourcesWithTokens: () =>
        Promise.resolve(SOURCES.map((id) => ({ id, kind: 'drives', name: id, url: id, token }))),
      readBack: (_plan: number, _by: string, observe: (tx: Db, survey: number) => Promise<void>) =>
        own.transaction((tx) => observe(tx, 1)),
    },
    present: { toNewest: () => Promise.resolve() },
  } as unknown as PlanParts;
  const drafts = {
    mayBegin: () => Promise.resolve(),
    move: (plan, move, by, more) => movePlan(parts, plan, move, by, more),
  } as Pick<Drafts, 'mayBegin' | 'move'> as Drafts;
  const proof = { survey: 1, goals: [], pointsBefore: 0, pointsAfter: 0 };
  const proofs = { prove: () => Promise.resolve(proof) } as unknown as Proofs;
  const runner = new Runner(parts, drafts, proofs);
  await jobs.takeUp();
  await runner.resume();
  await jobs.look();
  return { life, runner, jobs };
}

interface Script {
  changes: number;
  calls: Call['fault'][];
  /** What the steward does, or the application, just before a call to a workspace. */
  operations: { at: number; what: Operation }[];
}

async function live({ changes, calls, operations }: Script) {
  let now = Date.parse('2026-03-02T09:00:00Z');
  const clock = (): Date => new Date(now);
  const plan = await newPlan(changes);
  const asked: Promise<unknown>[] = [];
  let app = await start(clock);
  let count = 0;
  const faults = [...calls];
  const due = [...operations];
  const operate = (what: Operation): void => {
    if (what === 'die') {
      app.life.die();
      return;
    }
    const told = what === 'undo' ? app.runner.undo(plan, 'ada') : app.runner[what](plan, 'ada');
    asked.push(
      Promise.race([
        told.catch((e: unknown) => {
          if (!(e instanceof AppError) && !(e instanceof Crash)) throw e;
        }),
        // of a process that has ended nobody hears
        app.life.death,
      ]),
    );
  };
  workspaces = Object.fromEntries(
    SOURCES.map((id, s) => [
      id,
      new MisbehavingWorkspace(
        new Map(
          Array.from({ length: changes }, (_, n): [string, object] => [`g${n}`, rowOf(n)]).filter(
            (_, n) => n % 2 === s,
          ),
        ),
        () => {
          count++;
          while (due[0] && due[0].at <= count) operate(due.shift()!.what);
          return { fault: app.life.dead ? 'crash' : (faults.shift() ?? 'fine') };
        },
      ),
    ]),
  );
  const head = async (): Promise<Head> =>
    (await db.query<Head>('select * from plan where id = $1', [plan]))[0]!;
  const settled = async (): Promise<void> => {
    for (let turn = 0; turn < 400; turn++) {
      if (app.life.dead) app = await start(clock);
      await Promise.race([app.jobs.wait('plan'), app.life.death]);
      if (app.life.dead) continue;
      const [job] = await db.query<{ state: string; due: Date }>(
        "select state, due from job where subject = $1 and state in ('waiting', 'running')",
        [plan],
      );
      if (!job) return;
      // an error made it wait: its time comes
      now = Math.max(now, job.due.getTime());
      await app.jobs.look();
    }
    throw new Error('It came to no rest.');
  };
  await app.runner.apply(plan, 'ada');
  await settled();
  // what was not done because nothing was asked of a workspace any more
  while (due.length) {
    operate(due.shift()!.what);
    await Promise.all(asked.splice(0));
    await settled();
  }
  if ((await head()).halt === 'paused') await app.runner.goOn(plan, 'ada');
  await settled();
  await app.jobs.close();
  return { plan, head: await head(), steps: await stepsOf(db, plan) };
}

const scripts: fc.Arbitrary<Script> = fc.record({
  changes: fc.integer({ min: 1, max: 4 }),
  calls: fc.array(fc.constantFrom(...FAULTS.filter((f) => !f.startsWith('crash'))), { maxLength: 10 }),
  operations: fc
    .array(fc.record({ at: fc.integer({ min: 1, max: 25 }), what: fc.constantFrom(...OPERATIONS) }), {
      maxLength: 5,
    })
    .map((list) => list.sort((a, b) => a.at - b.at)),
});

describe('a plan', () => {
  it('comes to an end that is right and said, whatever is asked of it and whenever the application dies', async () => {
    const seen = new Set<ChangeState>();
    // jobs say in the log that the application died under them
    vi.spyOn(log, 'error').mockImplementation(() => undefined);
    await fc.assert(
      fc.asyncProperty(scripts, async (script) => {
        const { plan, head, steps } = await live(script);
        // at an end, with nothing waiting that nobody would begin
        expect(['applied', 'undone']).toContain(head.state);
        expect(head.halt).toBeNull();
        expect(head.state === 'undone').toBe(
          steps.some((c) => c.state.startsWith('und')) && !steps.some((c) => c.state === 'verified'),
        );
        const said = await db.query<{ subject: string; state: ChangeState }>(
          `select distinct on (subject) subject, after->>'state' as state from ledger
           where what like 'plan.change.%' and (after->>'plan')::int = $1 order by subject, seq desc`,
          [plan],
        );
        for (const c of steps) {
          seen.add(c.state);
          const at = workspaces[c.source]!;
          for (const key of [c.apply_key, c.undo_key]) expect(at.done.get(key) ?? 0).toBeLessThan(2);
          // nobody else meddles: what is said of the object is so
          const row = at.rows.get(c.object);
          const changed = c.change ? { ...c.before, ...c.change } : undefined;
          if (c.state === 'verified') expect(row).toEqual(changed);
          else if (['undone', 'planned', 'left', 'failed'].includes(c.state)) expect(row).toEqual(c.before);
          else expect(TROUBLED.includes(c.state) || isDone(c.state)).toBe(true);
          expect(agrees(c.state, said.find((s) => s.subject.endsWith(`/${c.object}`))?.state)).toBe(true);
        }
      }),
      {
        numRuns: 150,
        // what must be among them, whatever chance brings
        examples: [
          [{ changes: 4, calls: [], operations: [{ at: 1, what: 'cancel' }] }],
          [{ changes: 2, calls: ['fine', 'refused', 'fine', 'refused'], operations: [] }],
          [{ changes: 1, calls: ['fine', 'lost'], operations: [] }],
          [{ changes: 1, calls: [], operations: [{ at: 20, what: 'undo' }] }],
        ],
      },
    );
    expect([...seen]).toEqual(expect.arrayContaining(['verified', 'undone', 'left', 'failed', 'sending']));
    expect(await new Ledger(db, () => new Date()).check()).toMatchObject({ holds: true });
  });
});
