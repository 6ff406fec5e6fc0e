/** Policies as they are written: in a file, in the API and in the store alike (docs/policies.md). */
import { z } from 'zod';
import { SEVERITIES } from '../exposure/exposure.ts';
import { SPACE_KINDS } from '../model.ts';
import { SUBJECT_NAMES } from './kinds.ts';
import { responseSchema } from './responses.ts';

export const MODES = ['paused', 'observe', 'enforce'] as const;
export type Mode = (typeof MODES)[number];

/** What somebody can be about to do. */
export const MOMENTS = ['share', 'open', 'download', 'print', 'copy', 'move', 'upload', 'consent'] as const;

const name = (most: number) => z.string().trim().min(1).max(most);
const ids = z.array(name(1100)).max(500);
const condition = z.string().trim().max(2000);

/** Keys of a scope, each with what its values are. */
export const SCOPE_KEYS = {
  units: 'departments',
  groups: 'groups, and what is nested in them',
  people: 'people',
  workspaces: 'workspaces',
  spaces: 'spaces',
  spaceKinds: 'kinds of spaces',
  labels: 'labels',
  charters: 'charters',
  regions: 'regions',
} as const;
export type ScopeKey = keyof typeof SCOPE_KEYS;

const side = z.strictObject({
  units: ids.optional(),
  groups: ids.optional(),
  people: ids.optional(),
  workspaces: ids.optional(),
  spaces: ids.optional(),
  spaceKinds: z.array(z.enum(SPACE_KINDS)).max(SPACE_KINDS.length).optional(),
  labels: ids.optional(),
  charters: ids.optional(),
  regions: ids.optional(),
});

const scopeSchema = z.strictObject({
  of: z.enum(['owner', 'space', 'actor']).optional(),
  include: side.optional(),
  exclude: side.optional(),
  pilot: z
    .union([
      z.strictObject({ share: z.number().gt(0).lte(1), salt: name(200) }),
      z.strictObject({ groups: ids.min(1) }),
    ])
    .optional(),
});
export type Scope = z.infer<typeof scopeSchema>;

/** Who is told or asked: by what they are to what it is about, or by name. */
export const recipientSchema = z.union([
  z.strictObject({ owner: z.literal(true) }),
  z.strictObject({ stewards: z.literal(true) }),
  z.strictObject({ actor: z.literal(true) }),
  z.strictObject({ target: z.literal(true) }),
  z.strictObject({ manager: z.literal(true) }),
  z.strictObject({ sponsor: z.literal(true) }),
  z.strictObject({ group: name(1100) }),
  z.strictObject({ address: z.email().max(254) }),
  z.strictObject({ channel: name(1100) }),
]);
export type MessageTo = z.infer<typeof recipientSchema>;

const ruleSchema = z.strictObject({
  id: z.string().regex(/^[A-Za-z0-9][A-Za-z0-9_-]{0,63}$/, 'takes letters, digits, - and _, up to 64'),
  name: name(200),
  subject: z.enum(SUBJECT_NAMES),
  atRest: z.boolean().optional(),
  moments: z.array(z.enum(MOMENTS)).max(MOMENTS.length).optional(),
  if: condition.min(1),
  mode: z.enum(MODES),
  severity: z.enum(SEVERITIES),
  responses: z.array(responseSchema).max(10),
  tell: z.array(recipientSchema).max(20).optional(),
});
export type Rule = z.infer<typeof ruleSchema>;

/** What a condition is tried on: fields that are not given are 0, empty, false or without a time. */
const caseSchema = z.strictObject({
  name: name(200),
  subject: z.enum(SUBJECT_NAMES),
  given: z.record(z.string(), z.union([z.string(), z.number(), z.boolean(), z.array(z.string())])).optional(),
  /** What the file holds: each value by itself. */
  holds: z
    .array(
      z.strictObject({
        type: name(200),
        certainty: z.int().min(0).max(100),
        distinct: z.int().min(1).optional(),
        occurrences: z.int().min(1).optional(),
        part: z.enum(['title', 'body', 'comment', 'suggestion', 'metadata']).optional(),
      }),
    )
    .max(100)
    .optional(),
  /** Ids of rules. */
  hits: z.array(z.string()).optional(),
  misses: z.array(z.string()).optional(),
});
export type PolicyCase = z.infer<typeof caseSchema>;

/** What stops a run of rules that enforce before it begins: more changes, people who lose something, or share of what is judged. */
const breakerSchema = z.strictObject({
  changes: z.int().min(0).max(5000).optional(),
  people: z.int().min(0).max(1_000_000).optional(),
  share: z.number().gt(0).lte(1).optional(),
});
export type Breaker = z.infer<typeof breakerSchema>;
export const USUAL_BREAKER: Required<Breaker> = { changes: 200, people: 50, share: 0.2 };
/** Of fewer things no share is asked. */
export const FEW = 20;

export const policySchema = z.strictObject({
  format: z.literal('gate-lantern-policy'),
  version: z.literal(1),
  name: name(200),
  purpose: z.string().trim().max(2000).optional(),
  scope: scopeSchema.optional(),
  filter: condition.optional(),
  /** Absent: whenever something has changed. */
  rhythm: z.string().trim().min(1).max(200).optional(),
  keepDays: z.int().min(1).max(3650).optional(),
  breaker: breakerSchema.optional(),
  rules: z.array(ruleSchema).min(1).max(100),
  cases: z.array(caseSchema).max(500).optional(),
});
export type Policy = z.infer<typeof policySchema>;

/** A policy as a pilot with a tenth of the people has it. */
export const piloted = (policy: Policy): Policy => ({
  ...policy,
  scope: { ...policy.scope, pilot: { share: 0.1, salt: 'a' } },
});

/** Whether a rule can be tried on what was done lately: before somebody shares, or lets an app in. */
export const isTriedLately = ({ moments }: Pick<Rule, 'moments'>): boolean =>
  moments?.some((m) => m === 'share' || m === 'consent') ?? false;
