import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { passwordForm } from '../../../dto/forms.ts';
import { nothing, number } from '../../../dto/inputs.ts';

/** One's own sessions. */
export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  session: true,
  input: nothing,
  run: ({ app, account, token }) => app.accounts.sessions(account, token),
});

/** Changes one's own password. */
export const PUT = endpoint({
  role: 'owner',
  scope: 'account',
  session: true,
  input: passwordForm,
  run: ({ app, input, account, token }) =>
    app.accounts.changePassword(account, input.old, input.password, token),
});

/** Ends one of one's own sessions. */
export const DELETE = endpoint({
  role: 'owner',
  scope: 'account',
  session: true,
  input: z.object({ id: number }),
  run: ({ app, input, account }) => app.accounts.endSession(account, input.id),
});
