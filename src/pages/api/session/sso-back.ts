import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { begunOf, fromOf, onwards, signedIn, siteOf, troubled } from '../_session.ts';

/** Where the identity provider sends the browser back to. */
export const GET = endpoint({
  role: 'public',
  scope: 'none',
  // what stands in it is the provider's, and read by the library
  input: z.looseObject({}),
  run: ({ app, context }) =>
    troubled(async () => {
      const { to, ...signed } = await app.sso.back(
        siteOf(context),
        context.url.search,
        begunOf(context),
        fromOf(context),
      );
      signedIn(context, signed);
      return onwards(to);
    }),
});
