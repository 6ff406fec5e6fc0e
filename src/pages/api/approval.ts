import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { limitsForm } from '../../dto/forms.ts';
import { nothing, text } from '../../dto/inputs.ts';

/** From where on a plan wants a second steward, and limits that are proposed. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.plans.limits.state(),
});

/** Stricter limits hold at once; looser ones are put to a second steward. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: limitsForm,
  run: ({ app, input, account }) => app.plans.limits.set(input, account.address),
});

/** What a steward says of limits that are proposed. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ approved: z.boolean(), at: text(40) }),
  run: ({ app, input, account }) => app.plans.limits.decide(input.approved, input.at, account.address),
});
