import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { nothing, text } from '../../../dto/inputs.ts';

/** How each workspace asks. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) => {
    const sources = await app.surveys.live();
    const asking = await app.decisions.asking(sources.map((s) => s.id));
    return asking.map((a, n) => ({ ...a, name: sources[n]!.name }));
  },
});

/** Makes the token with which a workspace asks; it is told this once. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ source: text(200) }),
  run: ({ app, account, input }) => app.decisions.makeToken(input.source, account.address),
});

/** Ends the token of a workspace. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ source: text(200) }),
  run: ({ app, account, input }) => app.decisions.endToken(input.source, account.address),
});
