import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** One file of an upload, as bytes. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: text(40), name: text(600).min(1) }),
  stream: true,
  run: ({ app, input, context }) =>
    app.extracts.put(input.id, input.name, context.request.body as AsyncIterable<Uint8Array> | null),
});

/** All files are there: the extract becomes a source and is surveyed. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: text(40) }),
  run: ({ app, input, account }) => app.extracts.finish(input.id, account.address),
});
