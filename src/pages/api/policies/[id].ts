import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { policyForm } from '../../../dto/guard.ts';
import { number } from '../../../dto/inputs.ts';

/** A policy with its rules, versions and runs. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, input }) => app.policies.one(input.id),
});

/** Keeps a further version. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: policyForm.extend({ id: number, version: z.int().min(1) }),
  run: ({ app, account, input }) =>
    app.policies.change(input.id, input.version, input.policy, input.note, account.address),
});

/** Judges it now. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number, act: z.literal('run') }),
  run: ({ app, account, input }) => app.policies.run(input.id, account.address),
});

/** It is judged no more. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.policies.remove(input.id, account.address),
});
