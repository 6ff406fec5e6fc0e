import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { scopeForm } from '../../../dto/forms.ts';
import { nothing } from '../../../dto/inputs.ts';
import { found } from '../_problem.ts';

/** Scopes: ours, what others come to, and those of which nothing is known. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) => found(await app.scopes.table()),
});

/** Says what a scope of another vocabulary comes to. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: scopeForm,
  run: ({ app, input, account }) => app.scopes.put(input, account.address),
});

/** Leaves it unknown again. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ kind: scopeForm.shape.kind, scope: scopeForm.shape.scope }),
  run: ({ app, input, account }) => app.scopes.remove(input.kind, input.scope, account.address),
});
