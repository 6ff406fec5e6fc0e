/** Changes, plans and cuts, as the interface knows them. */
import type { AppLoss } from './apps.ts';
import type { Capability, Tier } from '../core/model.ts';
import type { ApprovalLimits, Gains, PlannedChange } from '../core/remedy/plan.ts';
import type { Change } from '../core/access/change.ts';
import type { ChangeState, PlanState } from '../core/remedy/states.ts';
import type { KeepOut } from '../core/remedy/goal.ts';
import type { PersonRef, EntryRef, RouteGraph } from './access.ts';

export type { ChangeState, KeepOut, PlanState };

/** A change that was picked up or planned. */
export interface ChangeRef {
  change: PlannedChange;
  words: string;
  /** The grant or link, where it is one. */
  entry?: EntryRef;
  /** Why the workspace cannot make it, with the nearest thing that it can. */
  cannot?: string;
}

/** Something that could be done, with whom it would hurt and the points it would close. */
export interface ChangeOption {
  change: PlannedChange;
  words: string;
  cannot?: string;
  members: number;
  external: number;
  closes: number;
}

export interface PreviewPerson extends PersonRef {
  /** Items no longer reached at all, and items on which less can be done. */
  loses: number;
  reduced: number;
  /** Items of these that they used lately. */
  used: number;
  capabilities: Capability[];
}

export interface PreviewItem {
  key: string;
  source: string;
  item: string;
  name: string;
  space: string;
  weight: number;
  before: { now: Tier; could: Tier; points: number };
  after: { now: Tier; could: Tier; points: number };
  /** Identities that can do less with it. */
  losing: number;
}

export interface Preview {
  survey: number;
  takenAt: string;
  changes: ChangeRef[];
  /** Picked up, but no longer there in this survey. */
  missing: PlannedChange[];
  members: number;
  guests: number;
  outsiders: number;
  /** Anybody at all who held the link no longer could. */
  anybody: boolean;
  wholeDomains: string[];
  /** Who loses something: who used it lately first, then members (the first 1,000). */
  people: PreviewPerson[];
  /** Of those who lose something, who used some of it lately. */
  usedLately: number;
  usedDays: number;
  /** Who comes by what is changed and can do as much without it, and by what (the first 50). */
  keep: (PersonRef & { by: string })[];
  keeping: number;
  spaces: { key: string; name: string; items: number; people: number }[];
  /** Items whose reach changes, the most points closed first (the first 500). */
  items: PreviewItem[];
  itemsTouched: number;
  itemsChanged: number;
  /** The heaviest of them; of plans of before alone. */
  heaviest?: number;
  /** The heaviest on which a member loses something. */
  heaviestLost: number;
  /** What it gives, and what undoing it would give back. */
  gains: Gains;
  back: Gains;
  /** What it gives, in words. */
  wider?: string;
  pointsBefore: number;
  pointsAfter: number;
  /** Messages that workspaces send because of it. */
  messages: { words: string; count: number }[];
  /** What apps lose; absent in plans of before. */
  apps?: AppLoss[];
  /** What of it undoing cannot put back, in words. */
  forGood?: string[];
}

/** What a steward has in the tray, in the order in which it will be done. */
export interface TrayState {
  list: { seq: number; change: PlannedChange; words: string | null }[];
  goals: { seq: number; words: string }[];
  /** Pairs of `seq` of which only one can be had. */
  conflicts: [number, number][];
  preview?: Preview;
}

export interface PlanGoal {
  keepOut: KeepOut;
  items: { source: string; item: string }[];
  words: string;
}

/** Whether a goal holds, by computation on what is known now. */
export interface GoalProof {
  words: string;
  holds: boolean;
  items: number;
  /** Items on which it does not, and the first ways in that are left. */
  open: number;
  ways: string[];
}

export interface PlanProof {
  survey: number;
  goals: GoalProof[];
  /** Points of the items that the plan touched. */
  pointsBefore: number;
  pointsAfter: number;
}

/** A field in which what was expected and what was found differ. */
export interface FieldDifference {
  field: string;
  expected: string;
  found: string;
}

export interface PlanChange extends ChangeRef {
  id: number;
  seq: number;
  state: ChangeState;
  note: string | null;
  changedAt: string | null;
  differences: FieldDifference[];
  /** It came back after it was done: in which survey, and who brought it back, where that is known. */
  drift: { survey: number; by: string | null; words: string } | null;
}

export interface Approval {
  /** Why a second steward is wanted. */
  wants: string[];
  askedBy?: string;
  askedAt?: string;
  /** Who approved or refused, and what they said. */
  by?: string;
  at?: string;
  approved?: boolean;
  said?: string;
}

/** What undoing a plan wants, and who asked for it. */
export interface UndoApproval {
  wants: string[];
  askedBy: string;
  askedAt: string;
  /** Numbers of the changes that are to be undone; all of them where absent. */
  changes?: number[];
}

export interface PlanRow {
  id: number;
  name: string;
  reason: string;
  state: PlanState;
  halt: 'paused' | 'cancelled' | null;
  survey: number;
  madeBy: string;
  madeAt: string;
  appliedAt: string | null;
  finishedAt: string | null;
  scheduledFor: string | null;
  changes: number;
  verified: number;
  troubled: number;
  drifted: number;
  /** Goals that do not hold. */
  unmet: number;
  /** A second steward has to approve it, or undoing it. */
  waits: boolean;
  /** The policy that made it, where one did. */
  policy: number | null;
}

/** What a plan has gone through, for its timeline. */
export interface PlanEvent {
  at: string;
  who: string;
  what: string;
  note?: string;
}

export interface PlanDetail extends PlanRow {
  preview: Preview;
  list: PlanChange[];
  goals: PlanGoal[];
  approval: Approval | null;
  /** Why undoing it needs a second steward; none where it does not. */
  undoWants: string[];
  /** Undoing it waits for a second steward. */
  undo: UndoApproval | null;
  proof: PlanProof | null;
  note: string | null;
  events: PlanEvent[];
  /** What is not as the preview says, where the survey in force is a newer one. */
  moved: string[] | null;
}

/** Something in quarantine. */
export interface QuarantineRow {
  key: string;
  source: string;
  item: string;
  name: string;
  kind: 'folder' | 'file';
  space: string;
  workspace: string;
  weight: number;
  files: number;
  owner?: string;
  /** How far it would be reached if it were released, and by how many. */
  back: { now: Tier; could: Tier; people: number };
  plan?: { id: number; name: string; by: string; at: string; reason: string };
}

/** A change of a cut. */
export interface CutChange {
  change: Change;
  kind: 'suspension' | 'membership' | 'grant' | 'link' | 'visibility' | 'inheritance' | 'sharing';
  words: string;
  /** Uses that it takes, alone, from those who should keep them; one that was used lately counts 25. */
  cost: number;
  /** The grant or link, where it is one. */
  entry?: EntryRef;
  /** As it can be picked up; absent where no source holds what it changes. */
  planned?: PlannedChange;
  cannot?: string;
  /** What would close the same way. */
  instead: { words: string; cost: number }[];
}

export interface CutOption {
  character: 'fewest-hurt' | 'fewest-changes' | 'at-the-cause';
  changes: CutChange[];
  cost: number;
  /** What its character compares cuts by, proven least by a flow: access lost, changes, or weight by kind. */
  value: number;
  /** Nothing comes to less; otherwise something may. */
  least: boolean;
  members: number;
  external: number;
  /** The first of those who lose something. */
  people: PersonRef[];
  /** Points and findings closed, of all items. */
  closes: number;
  findings: number;
  /** The ways in, with what is cut struck. */
  drawing: RouteGraph;
}

export type CutPage =
  | {
      met: true;
      items: number;
      cuts: CutOption[];
      /** Costs are counted from whom each change names, and not tried one by one. */
      estimated: boolean;
    }
  | {
      met: false;
      prevents: string[];
      open?: number;
      /** What might meet the goal too and was not tried. */
      untried: ('gate' | 'sharing')[];
    };

/** How far the work on a cut is: which part it is at, and so many parts of all. */
export interface CutProgress {
  step: 'ways' | CutOption['character'] | 'hurt';
  done: number;
  of: number;
}

/** Limits of approval, and others that a steward would have and a second one has to approve. */
export interface LimitsState {
  limits: ApprovalLimits;
  proposed: { limits: ApprovalLimits; by: string; at: string } | null;
}
