/** One change carried out at a workspace that misbehaves, by an application that dies at any moment. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { hasFields, whatDiffers } from '../../core/remedy/plan.ts';
import { agrees, isDone, RETRIED, retryFrom, type ChangeState } from '../../core/remedy/states.ts';
import type { Db } from '../../store/db.ts';
import type { Ledger } from '../ledger.ts';
import { CarryOut } from './carry-out.ts';
import type { PlanStep } from './rows.ts';
import { Crash, FAULTS, MisbehavingWorkspace, type Call } from '../../../tests/misbehaving.ts';

const BEFORE = { id: 'g1', item: 'i1', group: 'crew', role: 'editor' };

/** What somebody else does meanwhile. */
const MEDDLING = ['nothing', 'same', 'role', 'gone', 'back'] as const;
interface Event {
  fault: Call['fault'];
  meddle: (typeof MEDDLING)[number];
}
const meddling = (what: Event['meddle'], fields: object | null): Call['meddle'] =>
  ({
    nothing: undefined,
    same: () => fields && { ...BEFORE, ...fields },
    role: () => ({ ...BEFORE, role: 'owner' }),
    gone: () => null,
    back: () => ({ ...BEFORE }),
  })[what];

/** The store and the ledger, which are written together or not at all. */
function books(step: PlanStep, deaths: ('none' | 'before' | 'after')[]) {
  const kept = { step, ledger: undefined as ChangeState | undefined };
  const db = {
    async transaction(work: (tx: Db) => Promise<void>) {
      const next = { ...kept };
      await work({
        query: (_sql: string, [, state, note, , after, , version]: unknown[]) => {
          const read = (v: unknown) => (v === null ? null : (JSON.parse(v as string) as object));
          next.step = { ...kept.step, state, note, version, after: read(after) } as PlanStep;
          return Promise.resolve([]);
        },
        add: (state: ChangeState) => (next.ledger = state),
      } as unknown as Db);
      const death = deaths.shift();
      if (death === 'before') throw new Crash();
      Object.assign(kept, next);
      if (death === 'after') throw new Crash();
    },
  } as unknown as Db;
  const ledger = {
    add: ({ after }: { after: { state: ChangeState } }, tx: { add: (s: ChangeState) => void }) =>
      Promise.resolve(tx.add(after.state)),
  } as unknown as Ledger;
  return { kept, db, ledger };
}

const call = (meddling: readonly Event['meddle'][]): fc.Arbitrary<Event> =>
  fc.record({ fault: fc.constantFrom(...FAULTS), meddle: fc.constantFrom(...meddling) });
const scripts = (meddling: readonly Event['meddle'][]) =>
  fc.record({
    /** A grant that is withdrawn, or one whose role is lowered. */
    fields: fc.constantFrom(null, { role: 'reader' }),
    calls: fc.array(call(meddling), { maxLength: 12 }),
    undoCalls: fc.array(call(meddling), { maxLength: 8 }),
    deaths: fc.array(fc.constantFrom('none', 'none', 'before', 'after'), { maxLength: 8 }),
  });

type Script = ReturnType<typeof scripts> extends fc.Arbitrary<infer S> ? S : never;
async function live({ fields, calls, undoCalls, deaths }: Script) {
  const script = [...calls];
  let meddled = false;
  const workspace = new MisbehavingWorkspace(new Map([['g1', { ...BEFORE }]]), () => {
    const { fault, meddle } = script.shift() ?? { fault: 'fine', meddle: 'nothing' };
    meddled ||= meddle !== 'nothing';
    return { fault, meddle: meddling(meddle, fields) };
  });
  const rowNow = (): object | null => workspace.rows.get('g1') ?? null;
  const wantedNow = (undoing: boolean): boolean => {
    const row = rowNow();
    if (undoing) return row !== null && !whatDiffers('grant', BEFORE, row).length;
    return fields ? row !== null && hasFields(row, fields) : row === null;
  };
  const { kept, db, ledger } = books(
    {
      ...({ id: 1, plan: 7, seq: 1, source: 'drives', shown: false, drift: null } as const),
      ...{ kind: 'grant', object: 'g1', change: fields, before: BEFORE, after: null, found: null },
      ...{
        version: null,
        state: 'planned',
        apply_key: 'apply',
        undo_key: 'undo',
        note: null,
        changed_at: null,
      },
    },
    [...deaths],
  );
  const toRest = async (undoing: boolean): Promise<ChangeState> => {
    for (let turn = 0; turn < 60; turn++) {
      // a new process each time: nothing is known but what was kept
      const step = { ...kept.step };
      const carry = new CarryOut(
        db,
        ledger,
        () => new Date(0),
        () => {
          const { state } = step;
          if (state === 'verified' || state === 'undone') expect(wantedNow(undoing)).toBe(true);
          // nothing was done, or it is not there any more: trying again from the beginning is right; somebody else may
          // have done the same just then
          if (state === 'failed' && workspace.done.has('apply') && !meddled)
            expect(wantedNow(false)).toBe(false);
        },
      );
      try {
        await carry.one(step, workspace, undoing, 'ada');
      } catch (e) {
        if (!(e instanceof Crash)) throw e;
        continue;
      }
      expect(agrees(kept.step.state, kept.ledger)).toBe(true);
      if (!RETRIED.includes(kept.step.state)) return kept.step.state;
      kept.step = { ...kept.step, state: retryFrom(kept.step.state) };
    }
    throw new Error(`It came to no rest: ${kept.step.state}, ${kept.step.note}`);
  };
  const applied = await toRest(false);
  for (const times of workspace.done.values()) expect(times).toBe(1);
  if (applied !== 'verified') return { applied, done: workspace.done, meddled, row: rowNow() };
  script.splice(0, script.length, ...undoCalls);
  kept.step = { ...kept.step, state: 'undo-planned' };
  const undone = await toRest(true);
  for (const times of workspace.done.values()) expect(times).toBe(1);
  return { applied, undone, done: workspace.done, meddled, row: rowNow() };
}

describe('a change, at a workspace that loses answers and refuses, by an application that dies', () => {
  it('is done once and undone once, and is known to be, where nobody else meddles', async () => {
    await fc.assert(
      fc.asyncProperty(scripts(['nothing']), async (script) => {
        const { applied, undone, done, row } = await live(script);
        expect([applied, undone]).toEqual(['verified', 'undone']);
        expect(row).toEqual(BEFORE);
        expect(Object.fromEntries(done)).toEqual({ apply: 1, undo: 1 });
      }),
      { numRuns: 1000 },
    );
  });

  it('ends in a state that is right, whatever others do meanwhile, and leaves what they did alone', async () => {
    const ends = new Set<ChangeState>();
    await fc.assert(
      fc.asyncProperty(scripts(MEDDLING), async (script) => {
        const { applied, undone, done, meddled } = await live(script);
        for (const end of [applied, undone]) if (end) ends.add(end);
        expect(isDone(undone ?? applied) || (undone ?? applied).endsWith('unexpected')).toBe(true);
        // said to have been so without this plan: then this plan did not do it
        if (applied === 'already-gone' && !meddled) expect(done.has('apply')).toBe(false);
        if (applied === 'unexpected') expect(meddled).toBe(true);
      }),
      { numRuns: 2000 },
    );
    expect([...ends].sort()).toEqual(['already-gone', 'undo-unexpected', 'undone', 'unexpected', 'verified']);
  });
});
