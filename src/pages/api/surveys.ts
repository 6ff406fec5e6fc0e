import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { nothing, number } from '../../dto/inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.surveys.list(),
});

export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ kind: z.enum(['full', 'incremental']).default('full') }),
  run: async ({ app, account, input }) => ({ id: await app.surveys.start(account.address, input.kind) }),
});

export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, input, account }) => app.surveys.cancel(input.id, account.address),
});
