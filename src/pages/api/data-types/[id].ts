import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';
import { jsonBody } from '../_bytes.ts';

const id = text(64);

/** One data type: how it is recognised, what is found of it, samples to mark. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id }),
  run: ({ app, input, account }) => app.recognition.type(input.id, account.role === 'steward'),
});

/** Makes or changes a type of our own. The body is its definition; its lists may be long. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id, active: z.stringbool().default(true) }),
  stream: true,
  async run({ app, input, account, context }) {
    const definition = await jsonBody(context.request);
    await app.recognition.putType({ ...(definition as object), id: input.id }, input.active, account.address);
  },
});

export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id }),
  run: ({ app, input, account }) => app.recognition.removeType(input.id, account.address),
});
