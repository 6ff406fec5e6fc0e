import { runsForm } from '../../../../dto/forms.ts';
import { endpoint } from '../../_endpoint.ts';
import { tableEndpoint } from '../../_table.ts';

/** Runs of standing orders, the newest first. */
export const GET = tableEndpoint('runs');

/** Cancels some, or lets them go on now. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: runsForm,
  run: ({ app, account, input: { ids, act } }) =>
    act === 'cancel' ? app.orders.cancel(ids, account.address) : app.orders.goOn(ids, account.address),
});
