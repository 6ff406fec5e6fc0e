import { endpoint, SESSION_COOKIE } from './_endpoint.ts';
import { signInForm } from '../../dto/forms.ts';
import { nothing } from '../../dto/inputs.ts';
import { SCHEME_HEADER, SOURCE_HEADER } from '../../dto/headers.ts';

const DEVICE_COOKIE = 'gate-lantern-device';
const DEVICE_SECONDS = 180 * 86_400;

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
    const { headers } = context.request;
    const { token, device, account } = await app.accounts.signIn(input.address, input.password, {
      source: headers.get(SOURCE_HEADER) ?? 'unknown',
      device: context.cookies.get(DEVICE_COOKIE)?.value,
      agent: headers.get('user-agent') ?? undefined,
    });
    const cookie = {
      httpOnly: true,
      sameSite: 'strict',
      path: '/',
      secure: headers.get(SCHEME_HEADER) === 'https',
    } as const;
    context.cookies.set(SESSION_COOKIE, token, cookie);
    // it lets nobody in: it only says that this browser has been here
    context.cookies.set(DEVICE_COOKIE, device, { ...cookie, path: '/api/session', maxAge: DEVICE_SECONDS });
    return account;
  },
});

export const DELETE = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  async run({ app, token, context }) {
    await app.accounts.signOut(token);
    app.events.endOf(token);
    context.cookies.delete(SESSION_COOKIE, { path: '/' });
  },
});
