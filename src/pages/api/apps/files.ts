import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { appKey, asOf, limit, number, offset } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** The files that an app could read, the heaviest first; or heavy ones that nobody who let it in has opened. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    key: appKey,
    weight: number.max(4).optional(),
    unopened: z.stringbool().default(false),
    limit,
    offset,
  }),
  run: async ({ app, input: { asOf: at, ...query } }) => found(await app.engine.ask.appFiles(at, query)),
});
