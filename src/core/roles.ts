/** What accounts may do, and how they sign in. */

/** From the role that may do least. */
export const ROLES_BY_RANK = ['owner', 'auditor', 'steward'] as const;
export type AccountRole = (typeof ROLES_BY_RANK)[number];

export const mayDo = (role: AccountRole, needed: AccountRole): boolean =>
  ROLES_BY_RANK.indexOf(role) >= ROLES_BY_RANK.indexOf(needed);

/** The one of two roles that may do less. */
export const lesserRole = (a: AccountRole, b: AccountRole): AccountRole => (mayDo(a, b) ? b : a);

/** How one signs in here. */
export interface SignInSettings {
  /** A session ends when it was not used for so many minutes. */
  idleMinutes: number;
  /** A session ends after so many hours, used or not. */
  longestHours: number;
  /** Roles that sign in with a second factor. */
  secondFactor: AccountRole[];
}
