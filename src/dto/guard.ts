/** Guard: policies, what they hit, and what was tried. */
import { z } from 'zod';
import type { Wrong } from '../core/guard/policy.ts';
import type { Subject } from '../core/guard/kinds.ts';
import type { Mode, Policy, Rule } from '../core/guard/schema.ts';
import type { ResponseName, RuleResponse } from '../core/guard/responses.ts';
import { number, text } from './forms.ts';
import type { AskedValue } from './exposure.ts';
import type { PlanGoal, Preview, PreviewPerson } from './remedy.ts';

/** Something that a rule hits. */
export interface RuleHit {
  rule: string;
  subject: Subject;
  /** `item:…`, `space:…`, `user:…`, `outsider:…`, `group:…`, `grant:…` or `link:…` with the source and its id. */
  key: string;
  name: string;
  /** Names from the space down to it, or what else tells it apart. */
  where: string;
  /** What the condition asked about, as it was. */
  values: AskedValue[];
  /** What opens when it is clicked: a file, folder, space, person or group. */
  open: string;
  /** The exception that it falls under. */
  excepted?: number;
  /** Of the surest match that it rests on. */
  certainty?: number;
  /** What a finding tells of it, where the rule opens one. */
  thing?: HitThing;
}

/** What a finding tells of a hit: its file or what holds it, if any. */
export interface HitThing {
  source: string;
  /** Id of the file or folder; empty where it is about none. */
  item: string;
  space: string;
  owner?: string;
  types: { name: string; distinct: number }[];
  weight: number;
  /** Tier numbers. */
  now: number;
  could: number;
}

/** What a hit is about, and what it is in or whose it is. */
export interface Around {
  key: string;
  name: string;
  wider: { key: string; name: string; as: 'item' | 'space' | 'owner' | 'app' | 'person' }[];
}

/** What a policy leaves out until a day. */
export interface Exception {
  id: number;
  /** Absent: all of them. */
  rule?: string | undefined;
  /** A key as of hits: that thing, and all that is below it or that somebody owns. */
  key: string;
}

/** One response to a hit, and how it comes to be done. */
export interface HitPart {
  do: ResponseName;
  /** `nothing`: it is so already. `yields`: a stricter response decides. `cannot`: some of it, or all. `later`: with the next run. */
  how: 'planned' | 'nothing' | 'yields' | 'cannot' | 'later';
  why?: string;
  /** The rule that decides. */
  decidedBy?: string;
}

/** What responses to hits come to, by the place of each hit. */
export interface Responded {
  parts: HitPart[][];
  /** The objects that are changed for each hit: kind, source and id. */
  byHit: string[][];
  goals: PlanGoal[];
  /** Absent where nothing is to be changed. */
  preview?: Preview;
}

/** What a rule would do at once if it enforced. */
export interface Foretelling {
  /** Hits in force about which nothing was done yet. */
  hits: number;
  /** Why some cannot be done, the most frequent first. */
  cannot: { words: string; hits: number }[];
  /** Why the breaker would stop it. */
  stops: string[];
  /** The first of them in words; absent where nothing would be changed. */
  changes?: string[];
  ofChanges?: number;
  members?: number;
  guests?: number;
  outsiders?: number;
  people?: Pick<PreviewPerson, 'id' | 'name' | 'kind' | 'loses' | 'used'>[];
  /** Exposure that it closes. */
  points?: number;
  /** Hits that began on each of the last days, as far back as it was judged. */
  byDay: { day: string; hits: number }[];
  /** Of the hits, those that a pilot with a tenth of the people would have; null where there is one. */
  inPilot: number | null;
}

/** A hit that is looked at, and what was said of it. */
export interface MarkedHit extends Pick<RuleHit, 'key' | 'name' | 'where' | 'values' | 'open'> {
  /** What it speaks for: hits that rest on a match as sure, or in the same workspace. */
  stratum: string;
  certainty: number | null;
  right: boolean | null;
}
export interface Sample {
  rows: MarkedHit[];
  /** Hits in force by stratum. */
  sizes: Record<string, number>;
  /** What was said of what is not hit at rest: of acts that a trial showed. */
  others: { key: string; right: boolean; certainty: number | null }[];
}

/** A rule that something is in the scope of, and what it did about it. */
export interface Applies {
  policy: number;
  policyName: string;
  rule: string;
  ruleName: string;
  mode: Mode;
  atRest: boolean;
  moments: readonly string[];
  responses: RuleResponse[];
  /** What of it is hit, or was: it itself, or grants and links on it. */
  hits: HitRow[];
}

/** Files that hold something, by certainty and by how many values there are at least. */
export interface HoldingCosts {
  /** At least so many, in the order of the counts. */
  numbers: readonly number[];
  rows: { certainty: number; distinct: number[]; occurrences: number[] }[];
  /** From which certainty it counts where none is asked for; null for a pack. */
  own: number | null;
}

/** Something that a scope can name. */
export interface ScopeName {
  /** What is written in the policy. */
  value: string;
  name: string;
  detail: string;
}

/** How many there are, and of how many a rule responds or only observes. */
export interface Covered {
  all: number;
  enforce: number;
  observe: number;
}
export interface Coverage {
  groups: { workspace: string; kind: string; spaces: Covered; files: Covered }[];
  people: Covered;
  /** Apps that were let in; null where no rule asks about any. */
  apps: Covered | null;
  /** Spaces that no rule is about, the heaviest first. */
  bare: { key: string; name: string; workspace: string; label: string; files: number; weight: number }[];
  ofBare: number;
}

export interface TrialRow {
  at: string;
  /** A key as of hits; null where nobody knows who did it. */
  actor: string | null;
  actorName: string;
  department: string;
  key: string;
  name: string;
  /** The grant, link or app that was let in itself, and how sure the surest match is that the rule asks about. */
  share: string;
  certainty: number | null;
  /** What was shared, in a sentence. */
  words: string;
  refused: boolean;
}

/** A rule tried on what was shared in the last days. */
export interface Trial {
  days: number;
  /** Grants and links made, and apps let in, in that time that are there still, and those that the rule would have hit. */
  shared: number;
  hits: number;
  /** Of these, what another rule refuses already. */
  refusedAlready: number;
  /** Of the hits, those that a pilot with a tenth of the people would have had. */
  inPilot: number;
  byDay: { day: string; shared: number; hits: number }[];
  people: { key: string | null; name: string; hits: number }[];
  ofPeople: number;
  departments: { name: string; hits: number }[];
  /** By certainty of the surest match, ten points at a time; empty where the rule asks for none. */
  certainties: { from: number; hits: number }[];
  /** The newest of them. */
  rows: TrialRow[];
}

/** A rule as it stands, tried on what is there now. */
export interface RuleTry {
  hits: number;
  of: number;
  first: RuleHit[];
  /** Milliseconds that it took. */
  took: number;
}

/**
 * How far a hit has come: recorded alone, waiting for a plan, done and verified at the workspace, not done as it should
 * be, undone or set aside by a steward, excepted, left to what a stricter rule does, over by itself.
 */
export const HIT_STATES = [
  'would',
  'waiting',
  'done',
  'failed',
  'undone',
  'excepted',
  'yielded',
  'over',
] as const;
export type HitState = (typeof HIT_STATES)[number];

export interface HitRow extends RuleHit {
  id: number;
  policy: number;
  policyName: string;
  ruleName: string;
  state: HitState;
  severity: Rule['severity'];
  /** Since when it is hit without a break. */
  since: string;
  overAt: string | null;
  /** Version of the policy that made it. */
  version: number;
  /** What each response of a rule that enforces came to. */
  parts: HitPart[];
  /** The plan that did it. */
  plan: number | null;
  /** What was said of it as it was done. */
  note: string | null;
}
export interface HitsPage {
  rows: HitRow[];
  total: number;
}

export interface PolicyRow {
  id: number;
  name: string;
  purpose: string;
  version: number;
  rules: number;
  /** Rules by mode. */
  modes: Record<Mode, number>;
  hits: number;
  lastRun: string | null;
  /** When it is judged next, where it has a rhythm. */
  nextRun: string | null;
  changedAt: string;
  changedBy: string;
}

export interface PolicyPage extends PolicyRow {
  policy: Policy;
  /** Hits in force by rule. */
  hitsByRule: Record<string, number>;
  /** Hits by rule and how far they have come; those that are over by themselves are not among them. */
  states: Record<string, Partial<Record<HitState, number>>>;
  exceptions: ExceptionRow[];
  /** The newest first. */
  versions: { version: number; madeAt: string; madeBy: string; note: string }[];
  runs: PolicyRun[];
  /** What cannot be judged any more, such as a data type that is gone. */
  wrong: Wrong[];
}

export interface ExceptionRow extends Exception {
  name: string;
  until: string;
  reason: string;
  madeBy: string;
  madeAt: string;
}

export interface PolicyRun {
  id: number;
  version: number;
  survey: number;
  at: string;
  by: string;
  took: number;
  hits: number;
  /** New, and over by themselves, since the run before. */
  opened: number;
  over: number;
  /** Why it did not come to its end. */
  failed: string | null;
  /** The plan of what its rules respond. */
  plan: number | null;
  /** Why that plan did not begin by itself. */
  stopped: string[];
  /** Why it waits for a second steward. */
  waits: string[];
  /** It has begun, or is at its end. */
  begun: boolean;
}

/** A policy as it is sent: what is wrong with it is told by where it stands. */
export const policyForm = z.object({
  policy: z.looseObject({}),
  /** The version that was changed; absent for a new one. */
  version: z.int().min(1).optional(),
  note: text(500).default(''),
});

export const exceptionForm = z.object({
  policy: number,
  /** Absent: all of its rules. */
  rule: text(64).optional(),
  keys: z.array(text(2300)).min(1).max(500),
  /** The last day of it. */
  until: z.iso.date(),
  reason: text(500).trim().min(1, 'needs a reason'),
});
