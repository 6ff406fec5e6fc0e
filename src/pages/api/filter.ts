import { z } from 'zod';
import { FILTERED, type Filtered } from '../../core/filter/fields.ts';
import { endpoint } from './_endpoint.ts';
import { text, where } from '../../dto/inputs.ts';

/** Whether a condition can be read for a table: 422 with what is wrong with it where it cannot. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z
    .object({ table: z.enum(FILTERED as [Filtered, ...Filtered[]]), where: text(2000) })
    .superRefine((q, ctx) => {
      const read = where(q.table).safeParse(q.where);
      if (!read.success)
        ctx.addIssue({ code: 'custom', path: ['where'], message: read.error.issues[0]!.message });
    }),
  run: () => Promise.resolve({ reads: true }),
});
