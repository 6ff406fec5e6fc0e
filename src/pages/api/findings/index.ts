import { z } from 'zod';
import { page, TABLE_QUERIES } from '../../../dto/tables.ts';
import { endpoint } from '../_endpoint.ts';

/** Findings; `brief` leaves out of each what a list does not show. */
export const GET = endpoint({
  role: 'auditor',
  scope: 'organisation',
  input: TABLE_QUERIES.findings.extend({ ...page, brief: z.stringbool().default(false) }),
  run: ({ app, input }) => app.findings.list(input),
});
