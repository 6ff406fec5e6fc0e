import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text, where } from '../_inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ text: text(200).optional(), where: where('plans') }),
  run: ({ app, input }) => app.plans.queries.list(input),
});

export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ name: text(200).min(1, 'needs a name'), reason: text(2000).default('') }),
  run: async ({ app, account, input }) => ({
    id: await app.plans.drafts.make(account, input.name, input.reason),
  }),
});
