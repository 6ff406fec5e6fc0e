import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { asOf } from '../../dto/inputs.ts';

/** What is wrong with the data itself, and was survived. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf }),
  run: async ({ app, input }) => (await app.engine.ask.problems(input.asOf)) ?? { total: 0, first: [] },
});
