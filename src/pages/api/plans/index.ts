import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { tableEndpoint } from '../_table.ts';
import { text } from '../../../dto/inputs.ts';

/** Plans, the newest first. */
export const GET = tableEndpoint('plans');

export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ name: text(200).min(1, 'needs a name'), reason: text(2000).default('') }),
  run: async ({ app, account, input }) => ({
    id: await app.plans.drafts.make(account, input.name, input.reason),
  }),
});
