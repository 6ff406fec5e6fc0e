import { tableEndpoint } from '../_table.ts';

/** What changed between two surveys; up to the present where the second is absent. */
export const GET = tableEndpoint('changes');
