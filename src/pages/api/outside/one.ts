import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, text } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** One external domain: its people and everything that was shared with it. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, domain: text(300) }),
  run: async ({ app, input }) => found(await app.partners.dossier(input.asOf, input.domain)),
});
