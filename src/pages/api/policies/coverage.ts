import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';

/** What rules are about at all, and what no rule covers. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app, context }) => app.policies.coverage(context.request.signal),
});
