import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, limit, node, offset, text } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Who can do what with a space, folder or file. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    node,
    text: text(200).optional(),
    kind: z.enum(['member', 'guest', 'outsider']).optional(),
    limit,
    offset,
  }),
  run: async ({ app, input: { asOf: at, node: name, ...query } }) =>
    found(await app.engine.ask.who(at, name, query)),
});
