/** A goal as JSON: who is to be kept out of what, and what must stay as it is (docs/remedy.md). */
import { z } from 'zod';
import { changeSchema } from './changes.ts';

const id = z.string().min(1).max(512);
const keepOut = z.union(
  [
    z.strictObject({ outside: z.literal(true), partnersMay: z.boolean().optional() }),
    z.strictObject({ anybody: z.literal(true) }),
    z.strictObject({ identity: id }),
    z.strictObject({ group: id }),
    z.strictObject({ beyond: id }),
  ],
  'is one of {"outside": true}, {"anybody": true}, {"identity": "…"}, {"group": "…"} and {"beyond": "…"}',
);
export const goalSchema = z.strictObject({
  keepOut,
  of: z
    .strictObject({
      items: z.array(id).max(100_000).optional(),
      spaces: z.array(id).max(10_000).optional(),
      /** In the filter language, over the fields of items. */
      where: z.string().max(2000).optional(),
    })
    .refine((o) => o.items ?? o.spaces ?? o.where, 'names items, spaces or a condition'),
  /** Changes that must not be made. */
  pinned: z.array(changeSchema).max(10_000).default([]),
  /** A use within so many days before the extract was taken weighs more than a grant alone. */
  usedDays: z.number().int().min(1).max(3650).default(90),
});
export type GoalFile = z.infer<typeof goalSchema>;
