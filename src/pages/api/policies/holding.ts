import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { PARTS } from '../../../core/model.ts';
import { number, text } from '../../../dto/inputs.ts';

/** How many files hold something, by certainty and number; null where there is no such data type or pack, or no survey. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    what: text(200).min(1),
    certainty: number.max(100).optional(),
    parts: text(100)
      .transform((t) => t.split(','))
      .pipe(z.array(z.enum(PARTS)).min(1))
      .optional(),
  }),
  run: async ({ app, input }) => (await app.engine.ask.holdingCosts(undefined, input)) ?? null,
});
