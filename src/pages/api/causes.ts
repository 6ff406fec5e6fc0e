import { tableEndpoint } from './_table.ts';

/** What makes exposures, by how much one change at each would close. */
export const GET = tableEndpoint('causes');
