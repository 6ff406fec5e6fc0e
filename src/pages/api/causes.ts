import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { asOf, text, where } from './_inputs.ts';
import { found } from './_problem.ts';

/** What makes exposures, by how much one change at each would close. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, text: text(200).optional(), where: where('causes') }),
  run: async ({ app, input }) => found(await app.engine.ask.causes(input.asOf, input)),
});
