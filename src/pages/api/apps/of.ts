import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, text } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Apps that somebody let in, and those that were let in for everyone. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, key: text(600).regex(/^user:/) }),
  run: async ({ app, input }) => found(await app.engine.ask.appsOfPerson(input.asOf, input.key)),
});
