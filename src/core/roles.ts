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

/** Signing in at an identity provider (OpenID Connect). */
export interface SsoSettings {
  /** What the button says, such as the organisation’s name. */
  name: string;
  issuer: string;
  clientId: string;
  /** The claim whose values say the role: a text or a list of them. */
  claim: string;
  /** Of several that fit, the role that may do most. */
  roles: { value: string; role: AccountRole }[];
  /** The role of whom none fits; null to let nobody else in. */
  otherwise: AccountRole | null;
  /** Whoever has a role and no account gets one. */
  makes: boolean;
  /** Passwords open accounts too; else only that of the account named for emergencies. */
  passwords: boolean;
  emergency: string | null;
}

/** The role that the values of a claim come to; null for none. */
export function roleOf({ roles, otherwise }: SsoSettings, values: readonly string[]): AccountRole | null {
  const fit = roles.filter((r) => values.includes(r.value)).map((r) => r.role);
  return ROLES_BY_RANK.findLast((role) => fit.includes(role)) ?? otherwise;
}
