/** What endpoints of rounds and of the owner desk take. */
import { z } from 'zod';
import { charterSettings, purposeSchema, sensitivitySchema } from '../core/ask/charter.ts';
import { REVIEW_ANSWER_NAMES } from '../core/ask/kinds.ts';
import { day, text } from './forms.ts';

const ids = z.array(z.int().min(1)).max(20_000);
const questions = ids.default([]);
const charter = z.strictObject({ purpose: text(40).min(1), sensitivity: text(40).min(1) });
const spaces = z.array(text(1100).startsWith('space:')).min(1).max(20_000);

/** What stewards do about questions of a round that are open: those that are given, or all. */
export const roundAct = z.discriminatedUnion('act', [
  z.strictObject({ act: z.literal('remind'), questions }),
  z.strictObject({ act: z.literal('extend'), questions, day }),
  z.strictObject({ act: z.literal('reassign'), questions: ids.min(1), person: text(254) }),
  z.strictObject({
    act: z.literal('answer'),
    questions: ids.min(1),
    what: z.enum(['keep', 'remove', 'archive', 'delete']),
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
        /** What it is for, where that is asked. */
        charter: charter.optional(),
        /** Who should be asked instead, or should own it after them, by address. */
        person: text(254).optional(),
      }),
    )
    .max(20_000),
  send: z.boolean(),
});

export const purposeForm = purposeSchema;
export const sensitivityForm = sensitivitySchema.extend({ settings: charterSettings });

/** What stewards do about spaces by hand. */
export const spacesAct = z.discriminatedUnion('act', [
  z.strictObject({ act: z.literal('charter'), spaces, charter }),
  z.strictObject({ act: z.literal('no-charter'), spaces }),
  z.strictObject({ act: z.literal('set-so'), spaces }),
  z.strictObject({ act: z.literal('keep'), spaces, until: day, reason: text(1000).min(1) }),
  z.strictObject({ act: z.literal('archive'), spaces }),
  z.strictObject({ act: z.literal('delete'), spaces }),
]);
