import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, node } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Apps that can do something with a file, folder or space, or read something in it. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, node }),
  run: async ({ app, input }) => found(await app.engine.ask.appsAt(input.asOf, input.node)),
});
