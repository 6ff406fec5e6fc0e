import { z } from 'zod';
import { OBJECT_KINDS } from '../../../core/remedy/fields.ts';
import { endpoint } from '../_endpoint.ts';
import { text } from '../../../dto/inputs.ts';

/** What could be done to one thing, with what each would close and whom it would hurt. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ kind: z.enum(OBJECT_KINDS), source: text(200).min(1), id: text(1100).min(1) }),
  run: async ({ app, input }) => (await app.engine.ask.options(undefined, input)) ?? [],
});
