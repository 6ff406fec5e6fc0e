import { TABLE_QUERIES } from '../../../dto/tables.ts';
import { endpoint } from '../_endpoint.ts';
import { refused } from '../_problem.ts';

/** When what happened was: by day, and by hour of the week. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: TABLE_QUERIES.events,
  run: ({ app, input }) => refused(() => app.happened.log.times(input)),
});
