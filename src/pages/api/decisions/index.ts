import { tableEndpoint } from '../_table.ts';

/** Decisions that were no plain yes, the newest first. */
export const GET = tableEndpoint('decisions');
