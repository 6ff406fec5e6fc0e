/** Guard: policies, what they hit, and what was tried. */
import { z } from 'zod';
import type { Wrong } from '../core/guard/policy.ts';
import type { Subject } from '../core/guard/kinds.ts';
import type { Mode, Policy, Rule } from '../core/guard/schema.ts';
import { text } from './forms.ts';

/** A value that a condition asked about: a time in milliseconds since 1970, null where there is none. */
export type AskedValue = [field: string, value: number | string | boolean | string[] | null];

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
}

/** A rule as it stands, tried on what is there now. */
export interface RuleTry {
  hits: number;
  of: number;
  first: RuleHit[];
  /** Milliseconds that it took. */
  took: number;
}

/** How a hit stands. */
export const HIT_STATES = ['would', 'over'] as const;
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
  /** The newest first. */
  versions: { version: number; madeAt: string; madeBy: string; note: string }[];
  runs: PolicyRun[];
  /** What cannot be judged any more, such as a data type that is gone. */
  wrong: Wrong[];
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
}

/** A policy as it is sent: what is wrong with it is told by where it stands. */
export const policyForm = z.object({
  policy: z.looseObject({}),
  /** The version that was changed; absent for a new one. */
  version: z.int().min(1).optional(),
  note: text(500).default(''),
});
