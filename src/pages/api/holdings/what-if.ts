import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { objects } from '../_inputs.ts';
import { found } from '../_problem.ts';

/** Who would lose what if these grants and links were withdrawn; nothing is touched. */
export const POST = endpoint({
  role: 'auditor',
  input: z.object({ objects }),
  run: async ({ app, input }) => found(await app.engine.ask.preview(input.objects)),
});
