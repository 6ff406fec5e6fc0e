import { z } from 'zod';
import { purposeForm, sensitivityForm } from '../../../dto/review-forms.ts';
import { nothing, text } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';

const OF = ['purpose', 'sensitivity'] as const;

/** Purposes and sensitivities, with how many spaces have each, and how many have a charter at all. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) => app.rounds.charters.book(),
});

/** Makes or changes one. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.discriminatedUnion('of', [
    z.strictObject({ of: z.literal('purpose'), doc: purposeForm }),
    z.strictObject({ of: z.literal('sensitivity'), doc: sensitivityForm }),
  ]),
  run: async ({ app, account, input: { of, doc } }) => {
    await app.rounds.charters.put(of, doc, account.address);
    return app.rounds.charters.book();
  },
});

/** Takes one away that no space has. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.strictObject({ of: z.enum(OF), id: text(40) }),
  run: async ({ app, account, input: { of, id } }) => {
    await app.rounds.charters.drop(of, id, account.address);
    return app.rounds.charters.book();
  },
});
