import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { appKey, asOf } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** One app: its risk line by line, what it was let in for and by whom, and where what it could read lies. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf, key: appKey }),
  run: async ({ app, input }) => found(await app.engine.ask.app(input.asOf, input.key)),
});
