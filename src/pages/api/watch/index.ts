import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** What got worse, what matters most, and what waits; null before the first survey. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ source: text(200).optional(), space: text(400).optional() }),
  run: ({ app, account, input }) => app.watch.page(account, input),
});
