import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number, text } from '../../../dto/inputs.ts';

/** What a rule would do at once if it enforced; or all rules of a policy that do not yet. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number, rule: text(64).optional() }),
  run: ({ app, input, context }) =>
    app.policies.responses.foretell(input.id, input.rule, context.request.signal),
});
