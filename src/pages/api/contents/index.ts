import { tableEndpoint } from '../_table.ts';

/** What files hold: data types by reach, and by workspace where asked. */
export const GET = tableEndpoint('contents');
