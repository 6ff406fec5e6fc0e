import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number } from '../../../dto/inputs.ts';

/** A signal, with everything that it is about. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, input }) => app.happened.signals.one(input.id),
});
