import { tableEndpoint } from '../_table.ts';

/** Everything that a round asks about, with what was answered and what came of it. */
export const GET = tableEndpoint('answers');
