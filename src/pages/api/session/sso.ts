import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { keepBegun, siteOf, troubled } from '../_session.ts';
import { text } from '../../../dto/inputs.ts';
import { ownPath } from '../../_own-path.ts';

/** Sends the browser to the identity provider. */
export const GET = endpoint({
  role: 'public',
  scope: 'none',
  input: z.object({ to: text(2000).default('/') }),
  run: ({ app, input, context }) =>
    troubled(async () => {
      const { url, begun } = await app.sso.begin(siteOf(context), ownPath(input.to));
      keepBegun(context, begun);
      return context.redirect(url.href);
    }),
});
