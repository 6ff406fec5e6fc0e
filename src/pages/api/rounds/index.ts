import { z } from 'zod';
import { roundSchema } from '../../../core/ask/kinds.ts';
import { nothing } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';
import { refused } from '../_problem.ts';

/** Rounds of review, the newest first. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.rounds.list(),
});

/** Begins one. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ round: roundSchema }),
  run: ({ app, account, input }) => refused(() => app.rounds.begin(input.round, account.address)),
});
