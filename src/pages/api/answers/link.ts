import { z } from 'zod';
import { answerForm, text } from '../../../dto/forms.ts';
import { endpoint } from '../_endpoint.ts';

const link = text(100);

/** The question of a link in a message, to the person that it was sent to; nothing else. */
export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: z.object({ link }),
  run: ({ app, input }) => app.orders.questions.open(input.link),
});

/** Answers it. */
export const PUT = endpoint({
  role: 'public',
  scope: 'none',
  input: answerForm.extend({ link }),
  run: ({ app, input: { link: opened, ...given } }) => app.orders.questions.answer({ link: opened }, given),
});
