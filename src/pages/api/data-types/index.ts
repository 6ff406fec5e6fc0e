import { tableEndpoint } from '../_table.ts';

/** The catalogue of data types, and how often each is found. */
export const GET = tableEndpoint('data-types');
