import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number } from '../../../dto/inputs.ts';
import { problem } from '../_problem.ts';

/** The change that closes most of a finding and is felt least; null where none closes anything. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ finding: number }),
  async run({ app, input }) {
    const row = await app.findings.row(input.finding);
    if (!row) return problem(404, 'no-finding', 'There is no finding of this number.');
    return (await app.engine.ask.cheapestFix(undefined, row.source, row.item)) ?? null;
  },
});
