import { z } from 'zod';
import { number } from '../../../dto/inputs.ts';
import { roundAct } from '../../../dto/review-forms.ts';
import { endpoint } from '../_endpoint.ts';

/** A round: how far it is, by department, owner and space, and what came of it. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, input }) => app.rounds.one(input.id),
});

/** Reminds, gives more time, asks somebody else, answers for those who were asked, or ends it. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number, does: roundAct }),
  run: async ({ app, account: { address }, input: { id, does } }) => {
    const { rounds } = app;
    if (does.act === 'remind') await rounds.remind(id, does.questions, address);
    else if (does.act === 'extend') await rounds.extend(id, does.questions, does.day, address);
    else if (does.act === 'reassign') await rounds.reassign(id, does.questions, does.person, address);
    else if (does.act === 'answer') await rounds.answerFor(id, does.questions, does, address);
    else await rounds.end(id, address);
    return rounds.one(id);
  },
});
