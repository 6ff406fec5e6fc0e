import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { ssoForm } from '../../../dto/forms.ts';
import { nothing, text } from '../../../dto/inputs.ts';

/** The identity provider that people sign in at. */
export const GET = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.sso.state(),
});

/** Sets it, or puts it to another steward. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: ssoForm,
  run: ({ app, input: { secret, ...settings }, account }) =>
    app.sso.set(settings, secret || undefined, account.address),
});

/** What another steward says of it. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ approved: z.boolean(), at: text(40) }),
  run: ({ app, input, account }) => app.sso.decide(input.approved, input.at, account.address),
});

/** People sign in with passwords alone. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: nothing,
  run: ({ app, account }) => app.sso.set(null, undefined, account.address),
});
