import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { decisionForm } from '../../../dto/forms.ts';
import { findingIds } from '../../../dto/inputs.ts';

/** Accepts findings until a day, takes that back, gives them to somebody, or notes something on them. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ findings: findingIds, decision: decisionForm }),
  run: async ({ app, account, input }) => ({
    changed: await app.findings.triage(input.findings, input.decision, account),
  }),
});
