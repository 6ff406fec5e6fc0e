import { endpoint } from '../_endpoint.ts';
import { tableEndpoint } from '../_table.ts';
import { planForm } from '../../../dto/forms.ts';

/** Plans, the newest first. */
export const GET = tableEndpoint('plans');

export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: planForm.extend({ reason: planForm.shape.reason.default('') }),
  run: async ({ app, account, input }) => ({
    id: await app.plans.drafts.make(account, input.name, input.reason),
  }),
});
