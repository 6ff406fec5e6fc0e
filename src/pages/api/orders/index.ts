import { ORDER_STARTERS } from '../../../core/orders/starters.ts';
import { orderForm } from '../../../dto/forms.ts';
import { nothing } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** Standing orders, what one can begin with, and channels that can be told. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) => ({
    orders: await app.orders.list(),
    starters: ORDER_STARTERS,
    channels: await app.orders.channels(),
    signals: (await app.happened.signals.patterns()).map((p) => p.name),
  }),
});

/** Makes one. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: orderForm,
  run: ({ app, account, input }) => app.orders.put(input.order, account.address),
});
