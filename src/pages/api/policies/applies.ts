import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** Which rules a thing is in the scope of, and what they did about it; null where it is not there. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ key: text(2300) }),
  run: async ({ app, input }) => (await app.policies.applies(input.key)) ?? null,
});
