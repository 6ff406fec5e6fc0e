import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { nothing, number, text } from '../../../dto/inputs.ts';

/** How each workspace tells what happens there, and how long that is kept. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) => ({
    sources: await app.happened.telling.of(await app.surveys.live()),
    keptDays: await app.happened.keptDays(),
  }),
});

/** Makes the secret with which a workspace signs; it is told this once. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ source: text(200) }),
  run: ({ app, account, input }) => app.happened.telling.makeSecret(input.source, account.address),
});

/** Ends the secret of a workspace. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ source: text(200) }),
  run: ({ app, account, input }) => app.happened.telling.endSecret(input.source, account.address),
});

/** Sets for how many days events are kept. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ keptDays: number.min(1).max(3650) }),
  run: ({ app, account, input }) => app.happened.keepFor(input.keptDays, account.address),
});
