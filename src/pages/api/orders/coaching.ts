import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';

/** Who was told how often, what they answered, and whether it happened again. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ by: z.enum(['person', 'department']).default('person') }),
  run: ({ app, input }) => app.orders.coaching(input.by),
});
