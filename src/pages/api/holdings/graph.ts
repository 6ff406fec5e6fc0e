import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, node, text } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Every route to a node as one drawing; or those by which an app reads it. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, node, app: text(2200).optional() }),
  run: async ({ app, input }) => found(await app.engine.ask.graph(input.asOf, input.node, input.app)),
});
