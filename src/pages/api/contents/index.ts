import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, number, text, where } from '../_inputs.ts';
import { found } from '../_problem.ts';

/** What files hold: data types by reach, and by workspace where asked. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    pack: text(64).optional(),
    ws: text(200).optional(),
    certainty: number.max(100).optional(),
    text: text(200).optional(),
    where: where('content-files'),
    byWorkspace: z.stringbool().default(false),
  }),
  run: async ({ app, input: { asOf: at, pack, ...q } }) =>
    found(await app.engine.ask.contents(at, { ...q, types: await app.recognition.typesOf(pack) })),
});
