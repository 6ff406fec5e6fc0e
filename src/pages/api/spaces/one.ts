import { z } from 'zod';
import { node } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';
import { found } from '../_problem.ts';

/** A space as it is reviewed, with when what happened in it. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ space: node }),
  run: async ({ app, input }) => found(await app.rounds.charters.space(input.space)),
});
