import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';

/** The token with which a directory keeps accounts here: who made it, never what it is. */
export const GET = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.scim.state(),
});

/** Makes a new one, told once; or ends it. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ end: z.boolean().default(false) }),
  session: true,
  run: ({ app, input, account }) => app.scim.newToken(account.address, input.end),
});
