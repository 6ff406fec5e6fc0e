import { tableEndpoint } from '../_table.ts';

/** Third-party apps, with what each could read and its risk. */
export const GET = tableEndpoint('apps');
