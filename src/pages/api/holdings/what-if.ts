import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { changes } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Who would lose what if these changes were made; nothing is touched. */
export const POST = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ changes }),
  run: async ({ app, input }) => found(await app.engine.ask.preview(undefined, input.changes)),
});
