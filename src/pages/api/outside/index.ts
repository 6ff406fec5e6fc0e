import { tableEndpoint } from '../_table.ts';

/** Every external domain, who shared what with it, and the flow from departments to domains. */
export const GET = tableEndpoint('outside');
