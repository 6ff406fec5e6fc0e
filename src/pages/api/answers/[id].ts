import { z } from 'zod';
import { answerForm } from '../../../dto/forms.ts';
import { number } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

/** A question to whoever is signed in. */
export const GET = endpoint({
  role: 'owner',
  scope: 'account',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.orders.questions.openAs(account.address, input.id),
});

/** Answers it. */
export const PUT = endpoint({
  role: 'owner',
  scope: 'account',
  input: answerForm.extend({ id: number }),
  run: ({ app, account, input: { id, ...given } }) =>
    app.orders.questions.answer({ address: account.address, id }, given),
});
