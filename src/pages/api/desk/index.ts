import { nothing } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** What whoever is signed in is asked. */
export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  run: ({ app, account }) => app.rounds.desk.list({ address: account.address }),
});
