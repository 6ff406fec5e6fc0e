import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { findingIds } from '../../../dto/inputs.ts';

/** Picks up what lets nobody but outsiders in to any of the findings; says how many, and of how many findings. */
export const POST = endpoint({
  role: 'steward',
  scope: 'organisation',
  input: z.object({ findings: findingIds }),
  async run({ app, account, input }) {
    const wanted = new Set(input.findings);
    const rows = (await app.findings.fitting({ state: 'open' })).filter((r) => wanted.has(r.id));
    const found = await app.engine.ask.withdrawable(
      undefined,
      rows.map(({ source, item }) => ({ source, item })),
    );
    if (found.changes.length) await app.tray.pickUp(account.id, found.changes);
    return { picked: found.changes.length, findings: found.of, left: rows.length - found.of };
  },
});
