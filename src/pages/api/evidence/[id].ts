import { z } from 'zod';
import { endpoint } from '../_endpoint.ts';
import { number } from '../../../dto/inputs.ts';
import { problem } from '../_problem.ts';

/** A plan as signed evidence (JWS, RFC 7515). Leaves a ledger entry. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: async ({ app, input, account }) => {
    const jws = await app.evidence.ofPlan(input.id, account.address);
    if (jws === undefined) return problem(404, 'no-plan', 'There is no plan of this number.');
    return new Response(jws, {
      headers: {
        'content-type': 'application/jose',
        'content-disposition': `attachment; filename="plan-${input.id}.jws"`,
      },
    });
  },
});
