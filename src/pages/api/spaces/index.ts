import { z } from 'zod';
import { spacesAct } from '../../../dto/review-forms.ts';
import { endpoint } from '../_endpoint.ts';
import { tableEndpoint } from '../_table.ts';

/** Spaces in which nothing happens, those without an owner, and what spaces are for. */
export const GET = tableEndpoint('spaces');

/** Says what spaces are for, keeps them, or makes a draft of what sets them back, archives or deletes them. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ does: spacesAct }),
  run: async ({ app, account: { address }, input: { does } }) => {
    const { charters } = app.rounds;
    const nothing = { plan: null, cannot: [] };
    if (does.act === 'charter') return charters.giveByHand(does.spaces, does.charter, address);
    if (does.act === 'set-so') return charters.setSo(does.spaces, address);
    if (does.act === 'no-charter') await charters.take(does.spaces, address);
    else if (does.act === 'keep') await charters.keepByHand(does.spaces, does.until, does.reason, address);
    else return charters.away(does.spaces, does.act, address);
    return nothing;
  },
});
