import { z } from 'zod';
import { LIST, userOf, userSchema } from '../../../../dto/scim-accounts.ts';
import { scim } from '../_scim.ts';

const MOST = 200;

/** Accounts, or the one that a filter names (RFC 7644 §3.4.2). */
export const GET = scim({
  input: z.object({
    filter: z.string().max(1000).optional(),
    startIndex: z.coerce.number().int().default(1),
    count: z.coerce.number().int().default(100),
  }),
  run: async ({ app, input, base }) => {
    // less than 1 is 1, and a negative count none
    const startIndex = Math.max(1, input.startIndex);
    const count = Math.min(MOST, Math.max(0, input.count));
    const { total, rows } = await app.scim.list({ filter: input.filter, startIndex, count });
    return {
      schemas: [LIST],
      totalResults: total,
      startIndex,
      itemsPerPage: rows.length,
      Resources: rows.map((r) => userOf(r, base)),
    };
  },
});

export const POST = scim({
  input: userSchema,
  status: 201,
  run: async ({ app, input, base }) => userOf(await app.scim.create(input), base),
});
