import { z } from 'zod';
import { endpoint } from './_endpoint.ts';
import { nothing } from '../../dto/inputs.ts';

/** From where on a plan wants a second steward. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.plans.drafts.limits(),
});

export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({
    people: z.number().int().min(1).max(1_000_000),
    spaces: z.number().int().min(1).max(1_000_000),
    weight: z.number().int().min(1).max(5),
    suspension: z.boolean(),
  }),
  run: ({ app, input, account }) => app.plans.drafts.setLimits(input, account.address),
});
