import { tableEndpoint } from '../_table.ts';

/** Entries of the ledger, the newest first where nothing else is asked. */
export const GET = tableEndpoint('ledger');
