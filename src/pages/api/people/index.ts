import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { asOf, down, limit, offset, text, where } from '../_inputs.ts';
import { found } from '../_problem.ts';

/** Members, guests, outsiders, groups, outside domains, and grants to nobody, with what each can reach. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    show: z.enum(['members', 'guests', 'outsiders', 'groups', 'domains', 'dangling']).default('groups'),
    text: text(200).optional(),
    where: where('people'),
    sort: z.enum(['name', 'items', 'heavy', 'grants', 'members', 'external']).default('name'),
    down,
    limit,
    offset,
  }),
  run: async ({ app, input: { asOf: at, ...query } }) => found(await app.engine.ask.people(at, query)),
});
