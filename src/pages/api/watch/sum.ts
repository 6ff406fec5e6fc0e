import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** What a survey came to, to be held beside another. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ survey: number.optional() }),
  run: async ({ app, input }) => found(await app.watch.sum(input.survey)),
});
