import { tableEndpoint } from '../_table.ts';

/** The files behind a number of Contents, with when each was scanned. */
export const GET = tableEndpoint('content-files');
