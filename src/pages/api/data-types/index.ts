import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { where } from '../_inputs.ts';

/** The catalogue of data types, and how often each is found. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ where: where('data-types') }),
  run: ({ app, input }) => app.recognition.types(input.where),
});
