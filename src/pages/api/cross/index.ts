import { endpoint } from '../_endpoint.ts';
import { cross } from '../_inputs.ts';
import { found, refused } from '../_problem.ts';

/** A cross-tabulation by one to three dimensions, with totals in which everything counts once. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: cross,
  run: ({ app, input: { asOf, ...q } }) => refused(async () => found(await app.engine.ask.cross(asOf, q))),
});
