import { z } from 'zod';
import { text } from '../../../../dto/forms.ts';
import { number } from '../../../../dto/inputs.ts';
import { deskAnswers } from '../../../../dto/review-forms.ts';
import { endpoint } from '../../_endpoint.ts';

const link = text(100);

/** What a round asks the person that a link was sent to; nothing else. */
export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: z.object({ link }),
  run: ({ app, input }) => app.rounds.desk.list(input),
});

/** Answers one question of it, or keeps what was chosen for later. */
export const PUT = endpoint({
  role: 'public',
  scope: 'none',
  input: deskAnswers.extend({ link, id: number }),
  run: ({ app, input: { link: opened, ...given } }) => app.rounds.desk.put({ link: opened }, given),
});
