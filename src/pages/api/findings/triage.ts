import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { findingIds, text } from '../../../dto/inputs.ts';

const decision = z.discriminatedUnion('act', [
  z.object({
    act: z.literal('accept'),
    until: z.iso.date('must be a day, as YYYY-MM-DD'),
    reason: text(2000).trim().min(3, 'say why, so that whoever comes after you knows'),
  }),
  z.object({ act: z.literal('reopen') }),
  z.object({ act: z.literal('give'), to: text(320).nullable() }),
  z.object({ act: z.literal('note'), note: text(2000).trim().min(1, 'needs some words') }),
]);

/** Accepts findings until a day, takes that back, gives them to somebody, or notes something on them. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ findings: findingIds, decision }),
  run: async ({ app, account, input }) => ({
    changed: await app.findings.triage(input.findings, input.decision, account),
  }),
});
