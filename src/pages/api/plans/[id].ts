import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number } from '../_inputs.ts';
import { problem } from '../_problem.ts';

export const GET = endpoint({
  role: 'auditor',
  input: z.object({ id: number }),
  run: async ({ app, input }) =>
    (await app.plans.one(input.id)) ?? problem(404, 'no-plan', 'There is no plan of this number.'),
});

export const POST = endpoint({
  role: 'steward',
  input: z.object({ id: number, act: z.enum(['apply', 'undo', 'discard', 'renew', 'retry']) }),
  run: ({ app, input, account }) => app.plans[input.act](input.id, account.address),
});
