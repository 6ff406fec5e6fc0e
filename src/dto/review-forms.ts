/** What endpoints of rounds and of the owner desk take. */
import { z } from 'zod';
import { REVIEW_ANSWER_NAMES } from '../core/ask/kinds.ts';
import { day, text } from './forms.ts';

const ids = z.array(z.int().min(1)).max(20_000);
const questions = ids.default([]);

/** What stewards do about questions of a round that are open: those that are given, or all. */
export const roundAct = z.discriminatedUnion('act', [
  z.strictObject({ act: z.literal('remind'), questions }),
  z.strictObject({ act: z.literal('extend'), questions, day }),
  z.strictObject({ act: z.literal('reassign'), questions: ids.min(1), person: text(254) }),
  z.strictObject({
    act: z.literal('answer'),
    questions: ids.min(1),
    what: z.enum(['keep', 'remove']),
    reason: text(1000),
  }),
  z.strictObject({ act: z.literal('end') }),
]);

/** Answers to things of one question, by their numbers. `send`: they are answers; else they are kept for later. */
export const deskAnswers = z.object({
  given: z
    .array(
      z.strictObject({
        n: z.int().min(0),
        what: z.enum(REVIEW_ANSWER_NAMES),
        until: day.optional(),
      }),
    )
    .max(20_000),
  send: z.boolean(),
});
