import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { scheduleForm } from '../../../dto/forms.ts';
import { number, text } from '../../../dto/inputs.ts';
import { problem } from '../_problem.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: async ({ app, input }) =>
    (await app.plans.queries.one(input.id)) ?? problem(404, 'no-plan', 'There is no plan of this number.'),
});

const id = number;
const ofDrafts = ['discard', 'renew', 'ask'] as const;
const ofRunner = ['apply', 'retry', 'pause', 'goOn', 'cancel', 'unschedule'] as const;

/** What a steward does with a plan. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.discriminatedUnion('act', [
    z.object({ id, act: z.enum(ofDrafts) }),
    z.object({ id, act: z.enum(ofRunner) }),
    z.object({ id, act: z.enum(['undo', 'askUndo']), changes: number.array().min(1).max(5000).optional() }),
    z.object({ id, act: z.literal('decideUndo'), approved: z.boolean(), said: text(2000).default('') }),
    scheduleForm.extend({ id, act: z.literal('schedule') }),
    z.object({
      id,
      act: z.literal('decide'),
      approved: z.boolean(),
      said: text(2000).default(''),
      /** The survey of the preview that was looked at. */
      survey: number,
    }),
  ]),
  run: ({ app, input, account: { address } }) => {
    const { drafts, runner } = app.plans;
    switch (input.act) {
      case 'undo':
        return runner.undo(input.id, address, input.changes);
      case 'askUndo':
        return runner.askUndo(input.id, address, input.changes);
      case 'decideUndo':
        return runner.decideUndo(input.id, address, input.approved, input.said);
      case 'schedule':
        return runner.schedule(input.id, address, new Date(input.at));
      case 'decide':
        return drafts.decide(input.id, address, input.approved, input.said, input.survey);
      case 'discard':
      case 'renew':
      case 'ask':
        return drafts[input.act](input.id, address);
      default:
        return runner[input.act](input.id, address);
    }
  },
});
