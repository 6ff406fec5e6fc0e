import { passRequestForm } from '../../../dto/approvals.ts';
import { endpoint } from '../_endpoint.ts';

/** Passes what somebody asked for on to another person, who answers it. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: passRequestForm,
  run: ({ app, input, account }) => app.approvals.passOn(input.id, input.to, account.address),
});
