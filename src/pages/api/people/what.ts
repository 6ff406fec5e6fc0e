import { z } from 'zod';
import { TIERS } from '../../../core/model.ts';
import { endpoint } from '../_endpoint.ts';
import { asOf, limit, node, number, offset, text } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** The files that a person, group or outside domain can reach, the heaviest first. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    key: text(600).regex(/^(?:user|outsider|group|domain):/),
    space: node.optional(),
    weight: number.max(4).optional(),
    tier: z.enum(TIERS).optional(),
    limit,
    offset,
  }),
  run: async ({ app, input: { asOf: at, key, ...query } }) =>
    found(await app.engine.ask.what(at, key, query)),
});
