import { nothing } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** Questions that were put to whoever is signed in. */
export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  run: ({ app, account }) => app.orders.questions.listFor(account.address),
});
