import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** Whom a rule of a policy that is being written, or all of them, would have stopped in the last days; or what is wrong with it. */
export const POST = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    policy: z.looseObject({}),
    rule: text(64).optional(),
    days: z.int().min(1).max(366).default(30),
  }),
  run: ({ app, input, context }) =>
    app.policies.trial(input.policy, input.rule, input.days, context.request.signal),
});
