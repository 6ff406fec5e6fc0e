import { z } from 'zod';
import { textBody } from '../_bytes.ts';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** The words of a list brought as CSV or text, of a column where one is named. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ column: text(200).optional() }),
  stream: true,
  run: async ({ app, input, context }) =>
    app.recognition.words(await textBody(context.request), input.column),
});
