import { describe, expect, it } from 'vitest';
import {
  agrees,
  CANCELLED,
  CHANGE_STATE_NAMES,
  DONE,
  isDone,
  isUndoing,
  NOT_BEGUN,
  PLAN_MOVES,
  PLAN_STATE_NAMES,
  RETRIED,
  retryFrom,
  TROUBLED,
  UNDER_WAY,
  UNFINISHED,
  UNKNOWN,
  type PlanState,
} from './states.ts';

describe('states of a change', () => {
  it('are done, or somebody has to look, never both; and what is not known can be found out', () => {
    expect(DONE.filter((s) => TROUBLED.includes(s))).toEqual([]);
    for (const s of UNKNOWN)
      expect([TROUBLED.includes(s), RETRIED.includes(s), isDone(s)]).toEqual([true, true, false]);
  });

  it('are tried again in the direction they were going, from a state that is not done', () => {
    for (const s of CHANGE_STATE_NAMES) {
      const from = retryFrom(s);
      expect([isUndoing(from), retryFrom(from)], s).toEqual([isUndoing(s), from]);
      if (RETRIED.includes(s)) expect(isDone(from), s).toBe(false);
      else expect(from).toBe(s);
    }
  });

  it('are what the ledger says last of them, but for those that it has no entry of', () => {
    const own = CHANGE_STATE_NAMES.filter((s) => agrees(s, s));
    expect(CHANGE_STATE_NAMES.filter((s) => !own.includes(s))).toEqual(['planned', 'left', 'undo-planned']);
    // what is said to be done rests on an entry that says so, and on no other
    for (const done of DONE) expect(CHANGE_STATE_NAMES.filter((s) => agrees(done, s))).toEqual([done]);
    for (const done of DONE) expect(agrees(done, undefined)).toBe(false);
  });

  it('are left as they were by ending a plan, where nothing of them had begun', () => {
    for (const [from, to] of Object.entries(CANCELLED)) {
      expect(UNKNOWN).not.toContain(from);
      expect(isUndoing(to)).toBe(false);
    }
    expect(Object.keys(CANCELLED).sort()).toEqual(['planned', 'undo-planned']);
  });
});

describe('states of a plan', () => {
  const moves = Object.entries(PLAN_MOVES) as [string, { from: readonly PlanState[]; to: PlanState }][];

  it('are all of one kind: not begun, under way, or at an end', () => {
    const ended = PLAN_STATE_NAMES.filter((s) => !UNFINISHED.includes(s));
    expect(ended).toEqual(['applied', 'undone', 'discarded']);
    expect([...NOT_BEGUN, ...UNDER_WAY, ...ended].sort()).toEqual([...PLAN_STATE_NAMES].sort());
  });

  it('lead to work by nothing but applying and undoing, and from what is discarded to nothing', () => {
    expect(moves.filter(([, m]) => m.from.includes('discarded'))).toEqual([]);
    expect(moves.filter(([, m]) => UNDER_WAY.includes(m.to)).map(([name]) => name)).toEqual([
      'apply',
      'applyAgain',
      'undoAgain',
    ]);
    // a plan that waits for a second steward is not applied, whatever it wants
    expect(PLAN_MOVES.apply.from).not.toContain('asked');
    expect(PLAN_MOVES.schedule.from).not.toContain('asked');
  });

  it('that have not begun can be discarded, and are all met from a draft', () => {
    expect(PLAN_MOVES.discard.from).toEqual(NOT_BEGUN);
    const met = new Set<PlanState>(['draft']);
    for (const state of met) for (const [, m] of moves) if (m.from.includes(state)) met.add(m.to);
    for (const s of NOT_BEGUN) expect(met).toContain(s);
  });
});
