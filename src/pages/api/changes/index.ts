import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { down, limit, number, offset, text, where } from '../_inputs.ts';
import { found } from '../_problem.ts';

/** What changed between two surveys; up to the present where the second is absent. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    from: number,
    to: number.optional(),
    change: z.enum(['brighter', 'darker', 'added', 'removed', 'same']).optional(),
    kind: z.enum(['space', 'item']).optional(),
    source: text(200).optional(),
    text: text(200).optional(),
    where: where('changes'),
    by: text(2000).optional(),
    sort: z.enum(['reach', 'weight', 'gained', 'lost', 'name']).default('reach'),
    down,
    limit,
    offset,
  }),
  run: async ({ app, input: { from, to, ...query } }) => found(await app.engine.ask.changes(from, to, query)),
});
