import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { viewForm } from '../../dto/forms.ts';
import { nothing, number } from '../../dto/inputs.ts';

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
  input: viewForm,
  run: ({ app, account, input }) => app.views.keep(account, input),
});

export const DELETE = endpoint({
  role: 'auditor',
  scope: 'account',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.views.drop(account, input.id),
});
