import { endpoint } from './_endpoint.ts';
import { limitsForm } from '../../dto/forms.ts';
import { nothing } from '../../dto/inputs.ts';

/** From where on a plan wants a second steward. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.plans.drafts.limits(),
});

export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: limitsForm,
  run: ({ app, input, account }) => app.plans.drafts.setLimits(input, account.address),
});
