import { reasonsForm } from '../../../dto/forms.ts';
import { nothing } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** Reasons that can be given. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.orders.questions.reasons(),
});

/** Sets them. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: reasonsForm,
  run: ({ app, account, input }) => app.orders.questions.setReasons(input.reasons, account.address),
});
