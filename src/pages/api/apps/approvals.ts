import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { answerRequestForm, approvalForm } from '../../../dto/approvals.ts';
import { nothing } from '../../../dto/inputs.ts';

/** Apps that are approved or refused, and what people ask for. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.approvals.list(),
});

/** Approves an app, or refuses it. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: approvalForm,
  run: ({ app, input, account }) => app.approvals.put(input, account.address),
});

/** Answers what somebody asked for. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: answerRequestForm,
  run: ({ app, input, account }) => app.approvals.answer(input, account.address),
});

/** Ends what stands of an app. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: z.int().min(1) }),
  run: ({ app, input, account }) => app.approvals.end(input.id, account.address),
});
