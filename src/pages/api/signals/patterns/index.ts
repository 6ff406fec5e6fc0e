import { z } from 'zod';
import { PATTERN_STARTERS } from '../../../../core/guard/patterns.ts';
import { readPattern } from '../../../../core/guard/windows.ts';
import { nothing, number } from '../../../../dto/inputs.ts';
import { endpoint } from '../../_endpoint.ts';

/** What signals are looked for, and what one can begin with. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) => ({ patterns: await app.happened.signals.patterns(), starters: PATTERN_STARTERS }),
});

/** Begins to look for something. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: readPattern,
  run: ({ app, account, input }) => app.happened.signals.put(input, account.address),
});

/** Looks for it otherwise. */
export const PUT = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: readPattern.extend({ id: number, version: number }),
  run: ({ app, account, input: { id, version, ...doc } }) =>
    app.happened.signals.put(doc, account.address, id, version),
});

/** Looks for it no more; what was found stays. */
export const DELETE = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: ({ app, account, input }) => app.happened.signals.remove(input.id, account.address),
});
