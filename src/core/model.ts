/**
 * The rows of the bulk extract, version 1 (docs/extract.md), as the rest of the code sees them.
 * Times are RFC 3339 strings; addresses are as written by the workspace.
 */

export const ROLES = ['reader', 'commenter', 'editor', 'manager', 'owner'] as const;
export type Role = (typeof ROLES)[number];

/** From widest to narrowest, so that the narrower of two is the later. */
export const EXTERNAL_SHARING = ['anyone', 'new-guests', 'existing-guests', 'off'] as const;
export type ExternalSharing = (typeof EXTERNAL_SHARING)[number];
/** With whom each lets share. */
export const SHARING_WORDS: Record<ExternalSharing, string> = {
  anyone: 'with anyone',
  'new-guests': 'with guests, new ones too',
  'existing-guests': 'with guests who have an account',
  off: 'with nobody outside',
};

export const AUDIENCES = ['named', 'organisation', 'anyone'] as const;
export type Audience = (typeof AUDIENCES)[number];

export const SPACE_KINDS = ['site', 'team', 'shared-drive', 'personal-drive', 'channel', 'mailbox'] as const;
export type SpaceKind = (typeof SPACE_KINDS)[number];

export type NodeRef = { space: string } | { item: string };
export type Recipient = { user: string } | { group: string } | { email: string };
export type Grantee = Recipient | { everyone: true } | { domain: string } | { anyone: true };

export interface OrganisationRow {
  name: string;
  domains: string[];
  partnerDomains: string[];
}

export interface WorkspaceRow {
  id: string;
  name: string;
  inheritance: 'additive' | 'breakable';
  externalSharing?: ExternalSharing;
  region?: string;
}

/** A person as access needs them, read from a SCIM 2.0 User (RFC 7643 §4.1). */
export interface PersonRow {
  id: string;
  name: string;
  /** Every `emails[].value`, then `userName` if it holds an @; lower case, no repeats. */
  addresses: string[];
  active: boolean;
  kind: 'member' | 'guest';
  /** From then on the account is not active any more. */
  expiresAt?: string;
  department?: string;
  /** Id of whom they report to. */
  manager?: string;
  title?: string;
}

export interface GroupRow {
  id: string;
  name: string;
  members: { value: string; type?: 'User' | 'Group' }[];
  /** A CEL expression over the SCIM attributes of a `user`: whoever it holds for is a member too. */
  rule?: string;
}

export interface SpaceRow {
  id: string;
  workspace: string;
  kind: SpaceKind;
  name: string;
  visibility?: 'members' | 'organisation';
  visibilityRole?: Role;
  externalSharing?: ExternalSharing;
  editorsShare?: boolean;
  gate?: string[];
  /** The audience that a new link in it has if nobody says otherwise. */
  defaultAudience?: Audience;
  /** Hidden from search and assistants; access is as it was. */
  dim?: boolean;
  /** Nobody can change anything in it, and search passes it over; who can read it stays as it is. */
  archived?: boolean;
  /** In the bin of its workspace: nobody can do anything with it or what is in it, and it can be restored. */
  binned?: boolean;
  /** Readers and commenters of what is in it cannot copy, download or print. */
  noCopies?: boolean;
  parts?: string[];
  owners?: string[];
  label?: string;
  region?: string;
  bytes?: number;
  createdAt?: string;
  lastActivity?: { files?: string; chat?: string; mail?: string; calendar?: string };
}

export interface ItemRow {
  id: string;
  space: string;
  parent?: string;
  kind: 'folder' | 'file';
  name: string;
  mime?: string;
  inherits?: boolean;
  owner?: string;
  /** In quarantine: nobody can do anything with it, or with what is below it. */
  held?: boolean;
  /** In the bin of its workspace: nobody can do anything with it, and it can be restored. */
  binned?: boolean;
  /** Readers and commenters cannot copy, download or print it. */
  noCopies?: boolean;
  /** Hidden from search and assistants; access is as it was. */
  dim?: boolean;
  label?: string;
  bytes?: number;
  createdAt?: string;
  modifiedAt?: string;
  modifiedBy?: string;
}

export interface GrantRow {
  id: string;
  on: NodeRef;
  to: Grantee;
  role: Role;
  expiresAt?: string;
  grantedBy?: string;
  grantedAt?: string;
}

export interface LinkRow {
  id: string;
  on: NodeRef;
  audience: Audience;
  role: Role;
  recipients?: Recipient[];
  redeemedBy?: ({ user: string; at?: string } | { email: string; at?: string })[];
  expiresAt?: string;
  /** Readers and commenters who hold it cannot copy, download or print. */
  noCopies?: boolean;
  password?: boolean;
  createdBy?: string;
  createdAt?: string;
  lastUsedAt?: string;
}

/** An app that people or administrators have let into a workspace (RFC 6749 calls it a client). */
export interface AppRow {
  /** Its client id. */
  id: string;
  workspace: string;
  name: string;
  publisher?: string;
  /** The workspace has verified who publishes it. */
  verified?: boolean;
  homepage?: string;
  /** Hosts that people are sent back to; with `http://` before them where that is without TLS. */
  redirectHosts?: string[];
  /** What kind of app it says it is. */
  category?: string;
  createdAt?: string;
}

/** That an app may do something: for a person who let it in, or for everyone. */
export interface AppGrantRow {
  id: string;
  app: string;
  workspace: string;
  user?: string;
  everyone?: boolean;
  scopes: string[];
  /** It has a refresh token: it goes on without them. */
  offline?: boolean;
  grantedAt?: string;
  grantedBy?: string;
  lastUsedAt?: string;
  /** What it was let in from, as the workspace calls it, and from which network address. */
  device?: string;
  address?: string;
}

export const PARTS = ['title', 'body', 'comment', 'suggestion', 'metadata'] as const;
export type Part = (typeof PARTS)[number];

/** The seven tiers of reach, narrowest first: the index is the tier's number. */
export const TIERS = ['sole', 'team', 'wide', 'organisation', 'partner', 'outside', 'public'] as const;
export type Tier = (typeof TIERS)[number];

/** What an identity may do with an item, as bits of one number. */
export const CAPABILITIES = ['find', 'open', 'copy', 'comment', 'edit', 'share', 'manage', 'delete'] as const;
export type Capability = (typeof CAPABILITIES)[number];

export const CAP = {
  find: 1,
  open: 2,
  copy: 4,
  comment: 8,
  edit: 16,
  share: 32,
  manage: 64,
  delete: 128,
} as const satisfies Record<Capability, number>;

const READER = CAP.find | CAP.open | CAP.copy;
const EDITOR = READER | CAP.comment | CAP.edit;
const ROLE_BITS: Record<Role, number> = {
  reader: READER,
  commenter: READER | CAP.comment,
  editor: EDITOR,
  manager: EDITOR | CAP.share | CAP.manage,
  owner: EDITOR | CAP.share | CAP.manage | CAP.delete,
};

/** The capability bits of a role in a space; `editorsShare` is the space's own setting. */
function roleBits(role: Role, editorsShare: boolean): number {
  return role === 'editor' && editorsShare ? EDITOR | CAP.share : ROLE_BITS[role];
}

/** What a role lets somebody do in a space: of an archived one, no more than a reader can. */
export function bitsIn(
  space: Pick<SpaceRow, 'editorsShare' | 'archived'>,
  role: Role,
  noCopies = false,
): number {
  const bits = roleBits(role, space.editorsShare !== false);
  return (noCopies ? withoutCopies(bits) : bits) & (space.archived ? READER : ~0);
}

/** What a link that forbids copies leaves of a role's capabilities: it binds readers and commenters alone. */
const withoutCopies = (bits: number): number => (bits & CAP.edit ? bits : bits & ~CAP.copy);

/** The names of the capabilities set in `bits`, in their fixed order. */
export function capabilityNames(bits: number): Capability[] {
  return CAPABILITIES.filter((name) => bits & CAP[name]);
}

/** The part after the last @, lower case; empty where there is none. */
export function domainOf(address: string): string {
  const at = address.lastIndexOf('@');
  return at < 0 ? '' : address.slice(at + 1).toLowerCase();
}

/** Whether `domain` is one of `domains` or below one of them. Both in lower case. */
export function coveredBy(domain: string, domains: readonly string[]): boolean {
  return domains.some((d) => domain === d || domain.endsWith(`.${d}`));
}
