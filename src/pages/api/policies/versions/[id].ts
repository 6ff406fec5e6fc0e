import { z } from 'zod';
import { endpoint } from '../../_endpoint.ts';
import { number } from '../../../../dto/inputs.ts';

/** A version of a policy as it was. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number, version: number }),
  run: ({ app, input }) => app.policies.version(input.id, input.version),
});
