import { z } from 'zod';
import { bodyText, endpoint } from '../../_endpoint.ts';
import { problem } from '../../_problem.ts';
import { text } from '../../../../dto/inputs.ts';

/** Takes what a workspace tells of what happens there, signed with its secret. */
export const POST = endpoint({
  role: 'public',
  scope: 'none',
  input: z.object({ source: text(200) }),
  stream: true,
  signed: true,
  run: async ({ app, input, context: { request } }) => {
    if (app.isReading)
      return problem(
        503,
        'reading',
        'The last survey is still being read. Send it again in a while.',
        {},
        { 'retry-after': '5' },
      );
    const body = await bodyText(request);
    if (body === undefined) return problem(413, 'too-large', 'The body is too long. Send it in parts.');
    return app.happened.telling.receive(input.source, request.headers, body);
  },
});
