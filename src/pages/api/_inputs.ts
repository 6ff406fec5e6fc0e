/** Pieces of input that several endpoints take. */
import { z } from 'zod';

/** PostgreSQL’s text cannot hold U+0000, and no name needs it. */
export const text = (most: number) =>
  z
    .string()
    .max(most)
    .refine((t) => !t.includes('\0'), 'must not hold U+0000');
export const nothing = z.object({});
export const number = z.coerce.number().int().min(0).max(2_147_483_647);
export const objects = z
  .array(z.object({ kind: z.enum(['grant', 'link']), source: text(200), id: text(512) }))
  .min(1)
  .max(500);

/** The survey as of which is asked; the present where absent. */
export const asOf = number.optional();
/** A space or item, as `space:SOURCE:ID` or `item:SOURCE:ID`. */
export const node = text(1100).regex(/^(?:space|item|workspace):/, 'names a space or an item');
export const limit = number.max(500).default(200);
export const offset = number.default(0);
export const down = z.stringbool().default(false);
