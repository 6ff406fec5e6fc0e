import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, node, text } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** By which routes an identity reaches a node, and what keeps it from more. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, node, identity: text(512).min(1) }),
  run: async ({ app, input }) => found(await app.engine.ask.why(input.asOf, input.node, input.identity)),
});
