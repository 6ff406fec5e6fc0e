import { z } from 'zod';
import { goalSchema } from '../../dto/planned.ts';
import { endpoint } from './_endpoint.ts';
import { changes, nothing, number } from '../../dto/inputs.ts';

const seqs = number.array().max(5000).default([]);

export const GET = endpoint({
  role: 'steward',
  scope: 'account',
  input: nothing,
  run: ({ app, account }) => app.tray.state(account.id),
});

export const POST = endpoint({
  role: 'steward',
  scope: 'account',
  input: z.object({ changes, goal: goalSchema.optional() }),
  run: ({ app, account, input }) => app.tray.pickUp(account.id, input.changes, input.goal),
});

export const DELETE = endpoint({
  role: 'steward',
  scope: 'account',
  input: z.object({ seqs, goals: seqs }),
  run: ({ app, account, input }) => app.tray.putDown(account.id, input.seqs, input.goals),
});

/** The order in which they are done. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'account',
  input: z.object({ order: seqs }),
  run: ({ app, account, input }) => app.tray.order(account.id, input.order),
});
