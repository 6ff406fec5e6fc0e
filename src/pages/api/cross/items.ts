import { tableEndpoint } from '../_table.ts';

/** The files and folders of a cell of a cross-tabulation. */
export const GET = tableEndpoint('cross-files');
