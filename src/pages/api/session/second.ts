import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { halfOf, signedIn, siteOf } from '../_session.ts';
import { codeForm } from '../../../dto/forms.ts';
import { nothing, passkeyProof } from '../../../dto/inputs.ts';

/** What a half sign-in asks a passkey with. */
export const PUT = endpoint({
  role: 'public',
  scope: 'none',
  input: nothing,
  run: ({ app, context }) => app.accounts.passkeyOptions(halfOf(context), siteOf(context)),
});

/** Ends a half sign-in with a code or a passkey. */
export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: z.union([codeForm, z.object({ passkey: passkeyProof })]),
  run: async ({ app, input, context }) =>
    signedIn(
      context,
      await app.accounts.signInSecond(
        halfOf(context),
        'code' in input ? input : { passkey: input.passkey, site: siteOf(context) },
      ),
    ),
});
