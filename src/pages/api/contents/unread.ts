import { tableEndpoint } from '../_table.ts';

/** Files that were not scanned, or not to their end, and why. */
export const GET = tableEndpoint('unread');
