import { tableEndpoint } from '../_table.ts';

/** Workspaces, spaces, folders and files: below one as a tree, or as a list that is filtered. */
export const GET = tableEndpoint('holdings');
