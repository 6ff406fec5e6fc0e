import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import type { Account } from '../../../dto/accounts.ts';
import { tokenForm } from '../../../dto/forms.ts';
import { nothing, number } from '../../../dto/inputs.ts';

/** One's own; of stewards of the whole, everybody's. */
const whose = ({ id, role, held }: Account): number | undefined =>
  role === 'steward' && !held ? undefined : id;

/** One's own tokens; of stewards of the whole, everybody's. */
export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: nothing,
  session: true,
  run: ({ app, account }) => app.tokens.list(whose(account)),
});

/** Makes a token: it is told once. */
export const POST = endpoint({
  role: 'owner',
  scope: 'account',
  input: tokenForm,
  session: true,
  run: ({ app, input, account }) => app.tokens.make(account, input),
});

export const DELETE = endpoint({
  role: 'owner',
  scope: 'account',
  input: z.object({ id: number }),
  session: true,
  run: ({ app, input, account }) => app.tokens.end(input.id, account.address, whose(account)),
});
