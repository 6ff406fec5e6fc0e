import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, node } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Every route to a node as one drawing. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, node }),
  run: async ({ app, input }) => found(await app.engine.ask.graph(input.asOf, input.node)),
});
