import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, nothing } from '../../../dto/inputs.ts';

/** Begins an upload of a bulk extract. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => Promise.resolve(app.extracts.begin()),
});

/** A survey as a zip of the bulk extract. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ asOf }),
  async run({ app, input, account }) {
    const pieces = await app.extracts.export(input.asOf, account.address);
    const stream = new ReadableStream<Uint8Array>({
      async pull(controller) {
        const next = await pieces.next();
        if (next.done) controller.close();
        else controller.enqueue(next.value);
      },
    });
    return new Response(stream, {
      headers: {
        'content-type': 'application/zip',
        'content-disposition': 'attachment; filename="gate-lantern-extract.zip"',
      },
    });
  },
});
