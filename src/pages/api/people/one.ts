import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, text } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Everything about one person, group or outside domain. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, key: text(600).regex(/^(?:user|outsider|group|domain):/) }),
  run: async ({ app, input }) => found(await app.engine.ask.identity(input.asOf, input.key)),
});
