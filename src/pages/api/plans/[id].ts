import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number, text } from '../_inputs.ts';
import { problem } from '../_problem.ts';

export const GET = endpoint({
  role: 'auditor',
  input: z.object({ id: number }),
  run: async ({ app, input }) =>
    (await app.plans.one(input.id)) ?? problem(404, 'no-plan', 'There is no plan of this number.'),
});

const id = number;
const plain = ['apply', 'discard', 'renew', 'retry', 'ask', 'pause', 'goOn', 'cancel', 'unschedule'] as const;

/** What a steward does with a plan. */
export const POST = endpoint({
  role: 'steward',
  input: z.discriminatedUnion('act', [
    z.object({ id, act: z.enum(plain) }),
    z.object({ id, act: z.literal('undo'), changes: number.array().min(1).max(5000).optional() }),
    z.object({ id, act: z.literal('schedule'), at: z.iso.datetime({ offset: true }) }),
    z.object({
      id,
      act: z.literal('decide'),
      approved: z.boolean(),
      said: text(2000).default(''),
      /** The survey of the preview that was looked at. */
      survey: number,
    }),
  ]),
  run: ({ app: { plans }, input, account: { address } }) => {
    switch (input.act) {
      case 'undo':
        return plans.undo(input.id, address, input.changes);
      case 'schedule':
        return plans.schedule(input.id, address, new Date(input.at));
      case 'decide':
        return plans.decide(input.id, address, input.approved, input.said, input.survey);
      default:
        return plans[input.act](input.id, address);
    }
  },
});
