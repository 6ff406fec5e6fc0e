import { tableEndpoint } from '../_table.ts';

/** What happened, the newest first. */
export const GET = tableEndpoint('events');
