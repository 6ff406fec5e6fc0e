import { signalsForm } from '../../../dto/forms.ts';
import { endpoint } from '../_endpoint.ts';
import { tableEndpoint } from '../_table.ts';

/** Signals that were found, the newest first. */
export const GET = tableEndpoint('signals');

/** Says what became of some of them. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: signalsForm,
  run: ({ app, account, input: { ids, ...as } }) => app.happened.signals.settle(ids, as, account.address),
});
