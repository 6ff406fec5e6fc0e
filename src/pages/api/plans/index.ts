import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { nothing, text } from '../_inputs.ts';

export const GET = endpoint({ role: 'auditor', input: nothing, run: ({ app }) => app.plans.list() });

export const POST = endpoint({
  role: 'steward',
  input: z.object({ name: text(200).min(1, 'needs a name'), reason: text(2000).default('') }),
  run: async ({ app, account, input }) => ({ id: await app.plans.make(account, input.name, input.reason) }),
});
