import { wishForm } from '../../../dto/forms.ts';
import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';

/** How one wants to be told. */
export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  run: ({ app, account }) => app.outbox.ownWish(account.address),
});

/** Sets it. */
export const PUT = endpoint({
  role: 'owner',
  scope: 'account',
  input: wishForm,
  run: ({ app, account, input }) => app.outbox.setWish(account.address, input, account.address),
});
