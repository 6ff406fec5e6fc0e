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
