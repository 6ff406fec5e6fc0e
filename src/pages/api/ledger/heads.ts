import { endpoint } from '../_endpoint.ts';
import { nothing } from '../../../dto/inputs.ts';
import { problem } from '../_problem.ts';

/** Every signed head of the ledger, one JWS a line, to be kept elsewhere: `gl ledger verify --heads` takes it. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: ({ app }) =>
    Promise.resolve(
      new Response(app.heads.text(), {
        headers: {
          'content-type': 'text/plain; charset=utf-8',
          'content-disposition': 'attachment; filename="gate-lantern-ledger-heads.jws"',
        },
      }),
    ),
});

/** Signs the head as it is now. */
export const POST = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: nothing,
  run: async ({ app }) =>
    (await app.heads.sign()) ?? problem(409, 'empty', 'There is nothing on the ledger yet.'),
});
