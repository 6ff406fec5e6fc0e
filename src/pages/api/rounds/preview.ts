import { z } from 'zod';
import { roundSchema } from '../../../core/ask/kinds.ts';
import { endpoint } from '../_endpoint.ts';
import { refused } from '../_problem.ts';

/** What a round would ask whom. */
export const POST = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ round: roundSchema }),
  run: ({ app, input, context }) => refused(() => app.rounds.preview(input.round, context.request.signal)),
});
