import { z } from 'zod';
import { TIERS } from '../../../core/model.ts';
import { endpoint } from '../_endpoint.ts';
import { asOf, down, limit, node, number, offset, text, where } from '../_inputs.ts';
import { found } from '../_problem.ts';

/** Workspaces, spaces, folders and files: below one as a tree, or as a list that is filtered. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({
    asOf,
    parent: node.optional(),
    list: z.stringbool().default(false),
    text: text(200).optional(),
    kind: z
      .enum([
        'space',
        'site',
        'team',
        'shared-drive',
        'personal-drive',
        'channel',
        'mailbox',
        'folder',
        'file',
      ])
      .optional(),
    weight: number.max(4).optional(),
    tier: z.enum(TIERS).optional(),
    domain: text(300).optional(),
    owner: text(512).optional(),
    where: where('items'),
    only: z.enum(['exposed', 'breaks', 'no-owner', 'dormant', 'links']).optional(),
    sort: z
      .enum(['name', 'reach', 'weight', 'members', 'external', 'files', 'activity', 'bytes'])
      .default('name'),
    down,
    limit,
    offset,
  }),
  run: async ({ app, input: { asOf: at, ...query } }) => found(await app.engine.ask.holdings(at, query)),
});
