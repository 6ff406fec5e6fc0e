import { z } from 'zod';
import { patchSchema, saidBy, saidByPatch, userOf, userSchema } from '../../../../dto/scim-accounts.ts';
import { scim } from '../_scim.ts';

export const GET = scim({
  input: z.looseObject({}),
  run: async ({ app, id, base }) => userOf(await app.scim.one(id), base),
});

export const PUT = scim({
  input: userSchema,
  run: async ({ app, input, id, base }) => userOf(await app.scim.update(id, saidBy(input)), base),
});

export const PATCH = scim({
  input: patchSchema,
  run: async ({ app, input, id, base }) => userOf(await app.scim.update(id, saidByPatch(input)), base),
});

export const DELETE = scim({
  input: z.looseObject({}),
  run: ({ app, id }) => app.scim.remove(id),
});
