/** Headers that the server puts on every request itself, whatever came with it (services/web.ts). */
export const SCHEME_HEADER = 'x-gate-lantern-scheme';
export const SOURCE_HEADER = 'x-gate-lantern-source';
