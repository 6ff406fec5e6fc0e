import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number, text } from '../_inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  input: z.object({
    before: number.optional(),
    limit: number.max(500).default(200),
    text: text(200).optional(),
  }),
  run: ({ app, input }) => app.ledger.page(input.before, input.limit, input.text || undefined),
});
