/** Custom data types as JSON (docs/recognition.md): one schema for the form, the endpoint and files. */
import { z } from 'zod';
import type { CheckName, Condition, CustomType } from '../core/recognise/custom.ts';

const CHECK_NAMES = {
  luhn: 'luhn',
  'mod-97-10': 'mod-97-10',
  verhoeff: 'verhoeff',
} as const satisfies Record<CheckName, string>;

const count = z.int().min(1).max(1_000_000).optional();
const counts = { distinct: count, occurrences: count };
const under = z.array(z.string().trim().min(1).max(100)).max(50).optional();
const conditions = (): z.ZodType<Condition[], Condition[]> =>
  z.lazy(() => z.array(conditionSchema).min(1).max(50));

/** What a document is asked; which fields it has says of which kind it is. */
const conditionSchema: z.ZodType<Condition, Condition> = z.lazy(() =>
  z.union(
    [
      z.strictObject({
        ...counts,
        pattern: z.string().min(1).max(2000),
        ignoreCase: z.boolean().optional(),
        check: z.enum(CHECK_NAMES).optional(),
        under,
      }),
      z.strictObject({
        ...counts,
        words: z.array(z.string().max(200)).min(1).max(200_000),
        matchCase: z.boolean().optional(),
        partsOfWords: z.boolean().optional(),
        under,
      }),
      z.strictObject({
        ...counts,
        type: z.string().min(1).max(64),
        certainty: z.int().min(0).max(100).optional(),
      }),
      z.strictObject({ ...counts, everything: z.literal(true) }),
      z.strictObject({ ...counts, all: conditions() }),
      z.strictObject({ ...counts, any: conditions() }),
      z.strictObject({ ...counts, atLeast: z.int().min(1).max(50), of: conditions() }),
      z.strictObject({
        ...counts,
        find: conditionSchema,
        near: conditionSchema,
        within: z.int().min(0).max(10_000),
      }),
    ],
    {
      error:
        'A condition is one of pattern, words, type, everything, all, any, atLeast with of, or find with near and within.',
    },
  ),
);

/** What is asked of whoever makes one; its id comes of its name. */
export const customTypeForm = z.strictObject({
  name: z.string().trim().min(1, 'needs a name').max(100, 'takes at most 100 characters'),
  weight: z.union([z.literal(1), z.literal(2), z.literal(3), z.literal(4)]),
  certainty: z.int('needs a whole number').min(1, 'needs at least 1').max(100, 'takes at most 100'),
  match: conditionSchema,
  context: z
    .array(z.string().trim().min(1).max(100, 'takes words of at most 100 characters'))
    .max(200, 'takes at most 200 words'),
  cases: z
    .array(z.strictObject({ text: z.string().max(100_000), matches: z.boolean() }))
    .max(500, 'takes at most 500 cases'),
});

export const customTypeSchema: z.ZodType<CustomType> = customTypeForm.extend({
  id: z.string().regex(/^[a-z0-9][a-z0-9-]{0,62}$/, 'An id is made of small letters, digits and dashes.'),
  certainty: customTypeForm.shape.certainty.default(60),
  context: customTypeForm.shape.context.default([]),
  cases: customTypeForm.shape.cases.default([]),
});
