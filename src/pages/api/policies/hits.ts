import { tableEndpoint } from '../_table.ts';

/** What rules hit, what came last first. */
export const GET = tableEndpoint('hits');
