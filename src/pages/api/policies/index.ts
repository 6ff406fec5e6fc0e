import { endpoint } from '../_endpoint.ts';
import { policyForm } from '../../../dto/guard.ts';
import { nothing } from '../../../dto/inputs.ts';

/** Every policy, with how much it hits. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.policies.list(),
});

/** Makes a policy; it is judged at once. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: policyForm,
  run: ({ app, account, input }) => app.policies.make(input.policy, input.note, account.address),
});
