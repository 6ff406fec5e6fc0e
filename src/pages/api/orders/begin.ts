import { z } from 'zod';
import { number } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** Begins an order on a signal, whether it is on or not. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ order: number, signal: number }),
  run: async ({ app, account, input }) => ({
    run: await app.orders.begin.byHand(input.order, input.signal, account.address),
  }),
});
