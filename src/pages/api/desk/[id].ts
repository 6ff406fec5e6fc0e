import { z } from 'zod';
import { number } from '../../../dto/inputs.ts';
import { deskAnswers } from '../../../dto/review-forms.ts';
import { endpoint } from '../_endpoint.ts';

/** One question of a round to whoever is signed in. */
export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.rounds.desk.page({ address: account.address }, input.id),
});

/** Answers it, or keeps what was chosen for later. */
export const PUT = endpoint({
  role: 'owner',
  scope: 'account',
  input: deskAnswers.extend({ id: number }),
  run: ({ app, account, input }) => app.rounds.desk.put({ address: account.address }, input),
});
