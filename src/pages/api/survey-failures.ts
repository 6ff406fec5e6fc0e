import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { number } from '../../dto/inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, input }) => app.surveys.failures(input.id),
});
