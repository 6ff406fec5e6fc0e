import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { nothing, objects } from './_inputs.ts';

export const GET = endpoint({
  role: 'steward',
  input: nothing,
  run: ({ app, account }) => app.plans.tray(account.id),
});

export const POST = endpoint({
  role: 'steward',
  input: z.object({ objects }),
  run: ({ app, account, input }) => app.plans.pickUp(account.id, input.objects),
});

export const DELETE = endpoint({
  role: 'steward',
  input: z.object({ objects }),
  run: ({ app, account, input }) => app.plans.putDown(account.id, input.objects),
});
