import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { exceptionForm } from '../../../dto/guard.ts';
import { number } from '../../../dto/inputs.ts';

/** Leaves something out of a rule, or of all rules of a policy, until a day. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: exceptionForm,
  run: ({ app, account, input: { policy, ...given } }) => app.policies.except(policy, given, account.address),
});

/** Ends an exception before its day. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.policies.endException(input.id, account.address),
});
