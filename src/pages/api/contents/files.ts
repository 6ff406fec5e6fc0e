import { z } from 'zod';
import { TIERS } from '../../../core/model.ts';
import { endpoint } from '../_endpoint.ts';
import { asOf, down, limit, number, offset, text, where } from '../_inputs.ts';
import { found } from '../_problem.ts';

/** The files behind a number of Contents, with when each was scanned. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    pack: text(64).optional(),
    type: text(64).optional(),
    ws: text(200).optional(),
    certainty: number.max(100).optional(),
    tier: z.enum(TIERS).optional(),
    text: text(200).optional(),
    where: where('content-files'),
    sort: z.enum(['occurrences', 'certainty', 'reach', 'name', 'weight']).default('reach'),
    down,
    limit,
    offset,
  }),
  async run({ app, input: { asOf: at, pack, type, ...q } }) {
    const types = await app.recognition.typesOf(pack, type);
    const page = found(await app.engine.ask.contentFiles(at, { ...q, types }));
    if (page instanceof Response) return page;
    return { ...page, rows: await app.recognition.scannedAt(page.rows) };
  },
});
