import { z } from 'zod';
import { LONGEST_FILE, jsonBody, pieces } from '../_bytes.ts';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';
import { problem } from '../_problem.ts';

/** A text or file to try the data types on. Nothing of it is kept, and its values are shown to nobody else. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ name: text(300).default('') }),
  stream: true,
  run: ({ app, input, context }) =>
    app.recognition.bench({ bytes: pieces(context.request, LONGEST_FILE), name: input.name }),
});

/** A text, and the definition of a type that is being made. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({}),
  stream: true,
  async run({ app, context }) {
    const body = z
      .object({ text: z.string().max(500_000), type: z.unknown() })
      .safeParse(await jsonBody(context.request));
    if (!body.success)
      return problem(422, 'input', 'Send a text of up to 500,000 characters, and a data type.');
    return app.recognition.tryType(body.data.text, body.data.type);
  },
});
