import { endpoint } from '../_endpoint.ts';
import { cell, cross, limit, offset } from '../_inputs.ts';
import { found, refused } from '../_problem.ts';

/** The files and folders of a cell of a cross-tabulation. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: cross.extend({ at: cell, limit, offset }),
  run: ({ app, input: { asOf, at, limit: most, offset: from, ...q } }) =>
    refused(async () => found(await app.engine.ask.crossItems(asOf, q, at, { limit: most, offset: from }))),
});
