import { endpoint, SESSION_COOKIE } from '../_endpoint.ts';
import { fromOf, signedIn } from '../_session.ts';
import { signInForm } from '../../../dto/forms.ts';
import { nothing } from '../../../dto/inputs.ts';

export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  unproven: true,
  run: ({ account }) => Promise.resolve(account),
});

export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: signInForm,
  run: async ({ app, input, context }) =>
    signedIn(context, await app.accounts.signIn(input.address, input.password, fromOf(context))),
});

export const DELETE = endpoint({
  role: 'owner',
  scope: 'account',
  session: true,
  input: nothing,
  unproven: true,
  async run({ app, token, context }) {
    await app.accounts.signOut(token);
    app.events.endOf(token);
    context.cookies.delete(SESSION_COOKIE, { path: '/' });
  },
});
