/** Standing orders as they are written: when something happens, and if, then steps one after another (docs/orders.md). */
import { z } from 'zod';
import { REVIEW_KINDS, type ReviewKind } from '../ask/kinds.ts';
import { SEVERITIES } from '../exposure/exposure.ts';
import { EVENT_TYPES, type EventType } from '../guard/events.ts';
import { SUBJECT_NAMES, type Subject } from '../guard/kinds.ts';
import { durationMs } from '../guard/patterns.ts';
import { responseSchema, type RuleResponse } from '../guard/responses.ts';
import { recipientSchema, type MessageTo } from '../guard/schema.ts';

/** What somebody who is asked can answer. What each comes to stands in core/orders/answers.ts. */
export const ANSWERS = {
  reason: 'Keep it, and give a reason',
  undo: 'Undo it',
  'not-me': 'It was not me',
  keep: 'Keep it',
  remove: 'Remove it',
  until: 'Keep it until a day',
} as const;
export type AnswerName = keyof typeof ANSWERS;
export const ANSWER_NAMES = Object.keys(ANSWERS) as AnswerName[];

/** What a step is about: what the order began with; what was shared by it; who did it; whom it concerns. */
export const ABOUTS = ['thing', 'share', 'actor', 'target'] as const;
export type About = (typeof ABOUTS)[number];

const DAY = 86_400_000;
const LONGEST = 3660 * DAY;
const duration = z.string().refine((t) => {
  const ms = durationMs(t);
  return ms !== undefined && ms <= LONGEST;
}, 'takes a time such as PT8H, P3D or P4W, of ten years at most');
const condition = z.string().trim().min(1).max(2000);
const words = z.string().trim().min(1);

const message = {
  to: z.array(recipientSchema).min(1).max(20),
  subject: words.max(200),
  text: words.max(5000),
};

export type Step =
  | {
      do: 'wait';
      for?: string | undefined;
      until?: { weekday?: number | undefined; hour: number } | undefined;
    }
  | { do: 'look'; still?: true | undefined; if?: string | undefined }
  | { do: 'change'; about: About; response: RuleResponse }
  | { do: 'suspend-sharing'; about: 'actor' | 'target' }
  | { do: 'tell'; to: MessageTo[]; subject: string; text: string; gathered?: true | undefined }
  | {
      do: 'ask';
      to: MessageTo[];
      subject: string;
      text: string;
      answers: AnswerName[];
      within: string;
      remind?: string | undefined;
    }
  | { do: 'review'; kind: ReviewKind; days: number }
  | { do: 'branch'; on: BranchOn; then: Step[]; else: Step[] }
  | { do: 'accept'; for: string }
  | { do: 'stop' };
export type BranchOn =
  | { answer: (AnswerName | 'none')[] }
  | { reason: string[] }
  | { still: true }
  | { if: string }
  | { event: string };
export type StepName = Step['do'];

/** How deep branches may lie in each other, and how many steps there may be in all. */
const DEEPEST = 4;
export const MOST_STEPS = 60;

const stepSchema: z.ZodType<Step, Step> = z.lazy(() =>
  z.discriminatedUnion('do', [
    z
      .strictObject({
        do: z.literal('wait'),
        for: duration.optional(),
        until: z
          .strictObject({ weekday: z.int().min(1).max(7).optional(), hour: z.int().min(0).max(23) })
          .optional(),
      })
      .refine((w) => (w.for === undefined) !== (w.until === undefined), 'takes either “for” or “until”'),
    z
      .strictObject({ do: z.literal('look'), still: z.literal(true).optional(), if: condition.optional() })
      .refine((l) => l.still || l.if, 'says neither “still” nor “if”'),
    z.strictObject({ do: z.literal('change'), about: z.enum(ABOUTS), response: responseSchema }),
    z.strictObject({ do: z.literal('suspend-sharing'), about: z.enum(['actor', 'target']) }),
    z.strictObject({ do: z.literal('tell'), ...message, gathered: z.literal(true).optional() }),
    z.strictObject({
      do: z.literal('ask'),
      ...message,
      answers: z.array(z.enum(ANSWER_NAMES)).min(1).max(ANSWER_NAMES.length),
      within: duration,
      remind: duration.optional(),
    }),
    z.strictObject({
      do: z.literal('review'),
      kind: z.enum(REVIEW_KINDS),
      days: z.int().min(1).max(180),
    }),
    z.strictObject({
      do: z.literal('branch'),
      on: z.union([
        z.strictObject({ answer: z.array(z.enum([...ANSWER_NAMES, 'none'])).min(1) }),
        z.strictObject({ reason: z.array(words.max(200)).min(1).max(30) }),
        z.strictObject({ still: z.literal(true) }),
        z.strictObject({ if: condition }),
        z.strictObject({ event: condition }),
      ]),
      then: z.array(stepSchema).max(MOST_STEPS),
      else: z.array(stepSchema).max(MOST_STEPS).default([]),
    }),
    z.strictObject({ do: z.literal('accept'), for: duration }),
    z.strictObject({ do: z.literal('stop') }),
  ]),
) as z.ZodType<Step, Step>;

/** With what an order begins. */
export const whenSchema = z.union([
  z.strictObject({
    event: z
      .array(z.enum(Object.keys(EVENT_TYPES) as EventType[]))
      .min(1)
      .max(30),
  }),
  z.strictObject({ signal: words.max(100) }),
  z.strictObject({ policy: words.max(200), rule: words.max(64) }),
  z.strictObject({
    subject: z.enum(SUBJECT_NAMES),
    rhythm: words.max(200),
    /** A date of the subject that is to come: it begins so long before it, once for each date. */
    date: z.strictObject({ field: words.max(50), before: duration }).optional(),
  }),
]);
export type When = z.infer<typeof whenSchema>;

/** With what an order begins, in one word. */
export type WhenKind = 'event' | 'signal' | 'policy' | 'subject';
export const whenKind = (when: When): WhenKind =>
  'event' in when ? 'event' : 'signal' in when ? 'signal' : 'policy' in when ? 'policy' : 'subject';

/** Whether somebody did something that an order begins with. */
export const ofEvents = (when: When): boolean => 'event' in when || 'signal' in when;

/** The kind of subject that conditions over what an order is about are asked of. */
export const thingSubject = (when: When): Subject => ('subject' in when ? when.subject : 'item');

/** What kinds of subjects a step of an order can be about. */
export const subjectsAbout = (when: When, about: About): readonly Subject[] => {
  if (about === 'share') return ['grant', 'link'];
  if (about !== 'thing') return ['identity'];
  return 'subject' in when ? [when.subject] : ['item', 'space'];
};

export const orderSchema = z.strictObject({
  format: z.literal('gate-lantern-order'),
  version: z.literal(1),
  name: words.max(200),
  purpose: z.string().trim().max(2000).optional(),
  severity: z.enum(SEVERITIES),
  on: z.boolean(),
  when: whenSchema,
  /** A condition over the event, or the subject. */
  if: condition.optional(),
  steps: z.array(stepSchema).min(1).max(MOST_STEPS),
});
export type Order = z.infer<typeof orderSchema>;

/** How many steps there are, those of branches too, and how deep these lie. */
export function sizeOf(steps: readonly Step[]): { steps: number; depth: number } {
  let [n, depth] = [0, 0];
  for (const s of steps) {
    n++;
    if (s.do !== 'branch') continue;
    for (const side of [s.then, s.else]) {
      const of = sizeOf(side);
      n += of.steps;
      depth = Math.max(depth, of.depth + 1);
    }
  }
  return { steps: n, depth };
}
export const tooLarge = (steps: readonly Step[]): string | undefined => {
  const { steps: n, depth } = sizeOf(steps);
  if (n > MOST_STEPS) return `It has ${n} steps; ${MOST_STEPS} are the most.`;
  return depth > DEEPEST ? `Branches lie ${depth} deep; ${DEEPEST} is the deepest.` : undefined;
};
