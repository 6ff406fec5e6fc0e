import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number } from '../../../dto/inputs.ts';
import { problem } from '../_problem.ts';

export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  async run({ app, input }) {
    const finding = await app.findings.one(input.id);
    if (!finding) return problem(404, 'no-finding', 'There is no finding of this number.');
    return {
      ...finding,
      dossier: (await app.engine.ask.dossier(undefined, finding.row.source, finding.row.item)) ?? null,
    };
  },
});
