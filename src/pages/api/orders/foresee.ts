import { foreseeForm } from '../../../dto/forms.ts';
import { endpoint } from '../_endpoint.ts';

/** How an order would go, on something that happened; nothing of it is done. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: foreseeForm,
  run: ({ app, input: { order, ...assume } }) => app.orders.foresee(order, assume),
});
