/**
 * Decisions at the moment, as the OpenID AuthZEN Authorization API 1.0 has them: what is asked, what is answered, and what
 * is kept of it.
 */
import { z } from 'zod';
import { MOMENTS } from '../core/guard/schema.ts';
import { AUDIENCES, ROLES } from '../core/model.ts';

const name = z.string().min(1).max(1100);
const properties = z.record(z.string(), z.unknown()).optional();

const subject = z.object({ type: name, id: name, properties });
const resource = z.object({ type: name, id: name, properties });
const action = z.object({ name: z.string().min(1).max(100), properties });
const time = z.iso.datetime({ offset: true });
/** To whom something is about to be shared: one of these. */
const target = z.union([
  z.object({ user: name }),
  z.object({ group: name }),
  z.object({ email: name }),
  z.object({ domain: name }),
  z.object({ everyone: z.literal(true) }),
  z.object({ anyone: z.literal(true) }),
]);
export type Target = z.infer<typeof target>;
const context = z.object({
  target: z.union([target, z.array(target).max(200)]).optional(),
  /** Of a link that is about to be made. */
  audience: z.enum(AUDIENCES).optional(),
  role: z.enum(ROLES).optional(),
  expiresAt: time.optional(),
  device: z.object({ managed: z.boolean().optional() }).loose().optional(),
  address: z.string().max(200).optional(),
  time: time.optional(),
  /** `checked`: the workspace has looked at its own permissions, and asks about rules alone. */
  access: z.literal('checked').optional(),
  /** Of an app that is about to be let in: for what. */
  scopes: z.array(z.string().min(1).max(300)).max(100).optional(),
  /** Whoever was refused an app asks for it, for this reason. */
  asks: z.object({ reason: z.string().trim().min(1).max(1000) }).optional(),
  /** Whoever does it was cautioned and goes on. */
  goesOn: z.object({ reason: z.string().max(1000).optional() }).optional(),
});

export const evaluationForm = z.object({ subject, resource, action, context: context.optional() });
export type Evaluation = z.infer<typeof evaluationForm>;

const SEMANTICS = ['execute_all', 'deny_on_first_deny', 'permit_on_first_permit'] as const;
export type Semantic = (typeof SEMANTICS)[number];
/** Several at once; what one leaves out is as it is given for all. */
export const evaluationsForm = z.object({
  subject: subject.optional(),
  resource: resource.optional(),
  action: action.optional(),
  context: context.optional(),
  /** Each is read by itself, so that one that is not whole is answered so and the others as ever. */
  evaluations: z.array(z.record(z.string(), z.unknown())).max(1000).optional(),
  options: z
    .object({ evaluations_semantic: z.enum(SEMANTICS).optional() })
    .loose()
    .optional(),
});
export type Evaluations = z.infer<typeof evaluationsForm>;

export const isMoment = (t: string): t is (typeof MOMENTS)[number] =>
  (MOMENTS as readonly string[]).includes(t);

export interface DecisionAnswer {
  decision: boolean;
  context?: {
    /** For whoever it hits. */
    reason_user?: Record<string, string>;
    /** For whoever looks into it. */
    reason_admin?: Record<string, string>;
    obligations?: (
      | { id: 'caution'; text: string; reason: boolean }
      | { id: 'without-copies' }
      | { id: 'ask-first' }
      | { id: 'may-ask' }
      | { id: 'asked' }
    )[];
    /** The survey that was asked. */
    survey?: number;
    /** Nothing is known of it: it is newer than the survey. */
    unknown?: true;
    error?: { status: number; message: string };
  };
}

/** How a decision that was no plain yes came out. */
export const OUTCOMES = [
  'refused',
  'cautioned',
  'went-on',
  'without-copies',
  'ask-first',
  'no-access',
  'would',
] as const;
export type Outcome = (typeof OUTCOMES)[number];

/** What is kept of a decision that was no plain yes. */
export interface DecisionRecord {
  action: string;
  outcome: Outcome;
  actor: string;
  actorName: string;
  /** A key as of hits. */
  key: string;
  name: string;
  where: string;
  target: string;
  managed: boolean | null;
  said: string | null;
  /** Why somebody went on. */
  reason: string | null;
  /** The rule that decided. */
  policy: number | null;
  version: number | null;
  rule: string | null;
  /** All rules that hit it. */
  hits: { policy: number; version: number; rule: string; mode: string }[];
}

export interface DecisionRow extends DecisionRecord {
  id: number;
  at: string;
  source: string;
  policyName: string | null;
  ruleName: string | null;
}
export interface DecisionsPage {
  rows: DecisionRow[];
  total: number;
}

/** How a workspace asks. */
export interface Asking {
  source: string;
  /** It has a token. */
  can: boolean;
  madeAt: string | null;
  madeBy: string | null;
  lastAt: string | null;
  asked: number;
}
