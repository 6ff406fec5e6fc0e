import { endpoint } from './_endpoint.ts';
import { retentionForm } from '../../dto/forms.ts';
import { nothing } from '../../dto/inputs.ts';

/** For how long surveys are kept. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.retention.state(),
});

/** Sets it; what is older is dropped at once. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: retentionForm,
  run: ({ app, input, account }) => app.retention.set(input, account.address),
});
