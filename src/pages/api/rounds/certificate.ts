import { z } from 'zod';
import { number } from '../../../dto/inputs.ts';
import { endpoint } from '../_endpoint.ts';
import { problem } from '../_problem.ts';

/** A round as signed evidence (JWS, RFC 7515). Leaves a ledger entry. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: z.object({ id: number }),
  run: async ({ app, input, account }) => {
    const jws = await app.evidence.ofRound(input.id, account.address);
    if (jws === undefined) return problem(404, 'no-round', 'There is no such round.');
    return new Response(jws, {
      headers: {
        'content-type': 'application/jose',
        'content-disposition': `attachment; filename="round-${input.id}.jws"`,
      },
    });
  },
});
