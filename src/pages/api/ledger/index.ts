import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number, text, where } from '../_inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    before: number.optional(),
    limit: number.max(500).default(200),
    text: text(200).optional(),
    where: where('ledger'),
  }),
  run: ({ app, input: { before, limit, text: what, where: condition } }) =>
    condition
      ? app.ledger.pageWhere(before, limit, what || undefined, condition)
      : app.ledger.page(before, limit, what || undefined),
});
