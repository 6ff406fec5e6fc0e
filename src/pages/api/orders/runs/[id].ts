import { z } from 'zod';
import { acceptForm } from '../../../../dto/forms.ts';
import { number } from '../../../../dto/inputs.ts';
import { endpoint } from '../../_endpoint.ts';

/** A run: what happened, what was done, and what comes next. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, input }) => app.orders.run(input.id),
});

/** Accepts what it is about until a day. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: acceptForm.extend({ id: number }),
  run: ({ app, account, input: { id, until, reason } }) =>
    app.orders.accept(id, until, reason, account.address),
});
