import { endpoint } from '../_endpoint.ts';
import { nothing } from '../_inputs.ts';

/** What got worse, what matters most, and what waits; null before the first survey. */
export const GET = endpoint({
  role: 'auditor',
  input: nothing,
  run: ({ app, account }) => app.watch.page(account),
});
