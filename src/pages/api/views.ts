import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { nothing, number, text } from '../../dto/inputs.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'account',
  input: nothing,
  run: ({ app, account }) => app.views.list(account),
});

/** Keeps the view one is on under a name. */
export const POST = endpoint({
  role: 'auditor',
  scope: 'account',
  input: z.object({
    name: text(100).trim().min(1, 'needs a name'),
    path: text(100).regex(/^\/(?:survey|exposure|remedy|guard|review|record)\/[a-z-]+$/, 'must be a view'),
    search: text(4000),
    shared: z.boolean().default(false),
  }),
  run: ({ app, account, input }) => app.views.keep(account, input),
});

export const DELETE = endpoint({
  role: 'auditor',
  scope: 'account',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.views.drop(account, input.id),
});
