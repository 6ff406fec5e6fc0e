import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, limit, offset, text, where } from '../_inputs.ts';
import { found } from '../_problem.ts';

/** Files that were not scanned, or not to their end, and why. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    ws: text(200).optional(),
    text: text(200).optional(),
    where: where('unread'),
    limit,
    offset,
  }),
  async run({ app, input: { asOf: at, ...q } }) {
    const page = found(await app.engine.ask.unreadFiles(at, q));
    if (page instanceof Response) return page;
    return { ...page, rows: await app.recognition.scannedAt(page.rows) };
  },
});
