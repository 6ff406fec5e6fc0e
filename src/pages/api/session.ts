import { endpoint, SESSION_COOKIE } from './_endpoint.ts';
import { signInForm } from '../../dto/forms.ts';
import { nothing } from '../../dto/inputs.ts';

export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  run: ({ account }) => Promise.resolve(account),
});

export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: signInForm,
  async run({ app, input, context }) {
    const { token, account } = await app.accounts.signIn(input.address, input.password);
    context.cookies.set(SESSION_COOKIE, token, {
      httpOnly: true,
      sameSite: 'strict',
      path: '/',
      secure: context.url.protocol === 'https:',
    });
    return account;
  },
});

export const DELETE = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  async run({ app, token, context }) {
    await app.accounts.signOut(token);
    context.cookies.delete(SESSION_COOKIE, { path: '/' });
  },
});
