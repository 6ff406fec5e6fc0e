import { z } from 'zod';
import { nothing, number } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** Whose sharing is suspended. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.orders.suspended(),
});

/** Lets somebody share again. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.orders.letShare(input.id, account.address),
});
