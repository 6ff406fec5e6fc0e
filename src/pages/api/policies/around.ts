import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** What a hit is about, and what it is in or whose it is; null where it is not there any more. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ key: text(2300) }),
  run: async ({ app, input }) => (await app.policies.around(input.key)) ?? null,
});
