import { tableEndpoint } from '../_table.ts';

/** A cross-tabulation by one to three dimensions, with totals in which everything counts once. */
export const GET = tableEndpoint('cross');
