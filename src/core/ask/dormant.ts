/** When a space is dormant (common practice). Pure. */

/** After so many days without activity, where its charter says nothing else. */
export const DORMANT_DAYS = 90;
