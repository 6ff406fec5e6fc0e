/** Which apps stewards have approved, for whom and with what; and which they have refused. Pure. */

export interface Approval {
  /** With its source. */
  app: string;
  /** Otherwise it is refused. */
  approved: boolean;
  /** Groups, by id or name; none: everybody. */
  groups: readonly string[];
  /** What it may be let in for. */
  scopes: readonly string[];
  /** With that day, in milliseconds since 1970; Infinity where it does not end. */
  until: number;
}

/** How an app that is let in, or is about to be, stands: `more`: approved for less than it asks for. */
export type Standing = 'approved' | 'refused' | 'more' | 'none';

/** How an app stands as a whole, whoever let it in. */
export const standingOfApp = (
  approval: Approval | undefined,
  scopes: readonly string[],
  moment: number,
): Standing =>
  standingOf(approval && { ...approval, groups: [] }, { scopes, groupsOf: () => new Set() }, moment);

/** `groupsOf`: ids and names of all groups that whoever lets it in is in; a grant for everyone is nobody’s. */
export function standingOf(
  approval: Approval | undefined,
  { scopes, groupsOf }: { scopes: readonly string[]; groupsOf: () => ReadonlySet<string> },
  moment: number,
): Standing {
  if (!approval || moment >= approval.until) return 'none';
  if (!approval.approved) return 'refused';
  if (approval.groups.length) {
    const groups = groupsOf();
    if (!approval.groups.some((g) => groups.has(g))) return 'none';
  }
  return scopes.every((s) => approval.scopes.includes(s)) ? 'approved' : 'more';
}
