import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number, text } from '../../../dto/inputs.ts';

/** What a rule of a policy that is being written would hit now, or would have in a past survey: how many, and the first; or what is wrong with it. */
export const POST = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ policy: z.looseObject({}), rule: text(64), survey: number.optional() }),
  run: ({ app, input, context }) =>
    app.policies.tried(input.policy, input.rule, context.request.signal, input.survey),
});
