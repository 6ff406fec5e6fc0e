/** The states of plans and of their changes, and what may follow on what. Everything that asks about a state asks here. */

/**
 * How far a change has come. `unknown`: whether the workspace did what it was asked is not known. `done`: the
 * object is as the change wants it. `trouble`: somebody has to look. `retry`: the state from which it is tried again.
 * `ledger`: the state that the ledger last says of it; one of its own where absent.
 */
interface About {
  undoing?: true;
  unknown?: true;
  done?: true;
  trouble?: true;
  retry?: ChangeState;
  ledger?: readonly (ChangeState | undefined)[];
}

export const CHANGE_STATE_NAMES = [
  'planned',
  'sending',
  'sent',
  'verified',
  'already-gone',
  'unexpected',
  'failed',
  'left',
  'undo-planned',
  'undo-sending',
  'undo-sent',
  'undone',
  'undo-unexpected',
  'undo-failed',
] as const;
export type ChangeState = (typeof CHANGE_STATE_NAMES)[number];

const ABOUT: Readonly<Record<ChangeState, About>> = {
  // what is planned, or planned again, has no entry of its own
  planned: { ledger: [undefined, 'failed'] },
  sending: { unknown: true, trouble: true, retry: 'sending' },
  sent: { unknown: true, trouble: true, retry: 'sent' },
  verified: { done: true },
  'already-gone': { done: true },
  unexpected: { trouble: true },
  failed: { trouble: true, retry: 'planned' },
  left: { retry: 'planned', ledger: [undefined, 'failed'] },
  'undo-planned': { undoing: true, ledger: ['verified', 'undo-failed'] },
  'undo-sending': { undoing: true, unknown: true, trouble: true, retry: 'undo-sending' },
  'undo-sent': { undoing: true, unknown: true, trouble: true, retry: 'undo-sent' },
  undone: { undoing: true, done: true },
  'undo-unexpected': { undoing: true, trouble: true },
  'undo-failed': { undoing: true, trouble: true, retry: 'undo-planned' },
};

const statesThat = (test: (a: About) => boolean): readonly ChangeState[] =>
  CHANGE_STATE_NAMES.filter((s) => test(ABOUT[s]));

/** Whether the workspace did what it was asked is not known. */
export const UNKNOWN = statesThat((a) => a.unknown === true);
/** Somebody has to look at it. */
export const TROUBLED = statesThat((a) => a.trouble === true);
/** It can be tried again. */
export const RETRIED = statesThat((a) => a.retry !== undefined);

/** It was proved at the workspace, one way or the other. */
export const DONE = statesThat((a) => a.done === true);
export const isDone = (s: ChangeState): boolean => DONE.includes(s);
export const isUndoing = (s: ChangeState): boolean => ABOUT[s].undoing === true;
/** The state from which one that can be tried again is tried again. */
export const retryFrom = (s: ChangeState): ChangeState => ABOUT[s].retry ?? s;

/** Whether a plan may say one state of a change whose last entry on the ledger says another, or there is none. */
export const agrees = (plan: ChangeState, ledger: ChangeState | undefined): boolean =>
  (ABOUT[plan].ledger ?? [plan]).includes(ledger);

/** What ending a plan early makes of the changes that it had not begun. */
export const CANCELLED: Readonly<Partial<Record<ChangeState, ChangeState>>> = {
  planned: 'left',
  'undo-planned': 'verified',
};

export const PLAN_STATE_NAMES = [
  'draft',
  'asked',
  'approved',
  'scheduled',
  'applying',
  'applied',
  'undoing',
  'undone',
  'discarded',
] as const;
export type PlanState = (typeof PLAN_STATE_NAMES)[number];

/** Nothing of it has been begun. */
export const NOT_BEGUN: readonly PlanState[] = ['draft', 'asked', 'approved', 'scheduled'];
/** It is being carried out. */
export const UNDER_WAY: readonly PlanState[] = ['applying', 'undoing'];
/** It wants something of somebody, or is being carried out. */
export const UNFINISHED: readonly PlanState[] = [...NOT_BEGUN, ...UNDER_WAY];

/** A step that a plan can take: from which states, to which, and what is said where it is in none of them. */
export interface PlanMove {
  from: readonly PlanState[];
  to: PlanState;
  refusal: string;
}

const READY: readonly PlanState[] = ['draft', 'approved', 'scheduled'];
export const PLAN_MOVES = {
  discard: { from: NOT_BEGUN, to: 'discarded', refusal: 'Only a plan that has not begun can be discarded.' },
  ask: { from: ['draft'], to: 'asked', refusal: 'Only a draft can be put to a second steward.' },
  approve: { from: ['asked'], to: 'approved', refusal: 'This plan does not wait for approval.' },
  refuse: { from: ['asked'], to: 'draft', refusal: 'This plan does not wait for approval.' },
  apply: { from: READY, to: 'applying', refusal: 'Only a plan that has not begun can be applied.' },
  schedule: { from: READY, to: 'scheduled', refusal: 'Only a plan that has not begun can be given a time.' },
  unschedule: { from: ['scheduled'], to: 'draft', refusal: 'This plan has no time set.' },
  unscheduleApproved: { from: ['scheduled'], to: 'approved', refusal: 'This plan has no time set.' },
  applyAgain: { from: ['applied', 'undone'], to: 'applying', refusal: 'This plan is not at its end.' },
  undoAgain: { from: ['applied', 'undone'], to: 'undoing', refusal: 'This plan is not at its end.' },
} as const satisfies Record<string, PlanMove>;
