import { z } from 'zod';
import { OUTSIDE_SHOWS } from '../../../dto/exposure.ts';
import { endpoint } from '../_endpoint.ts';
import { asOf, down, text, where } from '../_inputs.ts';
import { found } from '../_problem.ts';

/** Every external domain, who shared what with it, and the flow from departments to domains. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    show: z.enum(OUTSIDE_SHOWS).default('all'),
    text: text(200).optional(),
    where: where('outside'),
    sort: z.enum(['domain', 'points', 'files', 'heavy', 'people', 'shares', 'lastUsed']).default('points'),
    down,
  }),
  run: async ({ app, input: { asOf: at, ...q } }) => found(await app.engine.ask.outside(at, q)),
});
