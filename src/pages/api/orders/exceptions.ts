import { z } from 'zod';
import { number } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** Ends an exception before its day. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.orders.endException(input.id, account.address),
});
