import { tableEndpoint } from '../_table.ts';

/** Members, guests, outsiders, groups, outside domains, and grants to nobody, with what each can reach. */
export const GET = tableEndpoint('people');
