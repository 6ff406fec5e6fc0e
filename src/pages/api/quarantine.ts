import { tableEndpoint } from './_table.ts';

/** Everything in quarantine, with the plan that moved it there. */
export const GET = tableEndpoint('quarantine');
