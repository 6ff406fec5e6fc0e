import { z } from 'zod';
import { text } from '../../../../dto/forms.ts';
import { number } from '../../../../dto/inputs.ts';
import { endpoint } from '../../_endpoint.ts';

/** One question of a round to the person that a link was sent to. */
export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: z.object({ link: text(100), id: number }),
  run: ({ app, input }) => app.rounds.desk.page(input, input.id),
});
