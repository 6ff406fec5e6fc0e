import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number, text } from '../../../dto/inputs.ts';

/** A sample of what a rule hits, with what was said of it. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number, rule: text(64) }),
  run: ({ app, input }) => app.policies.marks.sample(input.id, input.rule),
});

/** Says of something that a rule hits that this is right, or wrong; null takes that back. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({
    id: number,
    rule: text(64),
    key: text(2300).min(1),
    right: z.boolean().nullable(),
    certainty: z.int().min(0).max(100).nullable().default(null),
  }),
  run: ({ app, account, input: { id, ...mark } }) => app.policies.marks.mark(id, mark, account.address),
});
