/**
 * An organisation's access state as columns: everything named is a number, every list is flat.
 * builder.ts makes them from rows.
 */
import {
  coveredBy,
  domainOf,
  EXTERNAL_SHARING,
  type OrganisationRow,
  type PersonRow,
  type SpaceRow,
  type WorkspaceRow,
} from '../model.ts';
import { momentOf } from '../time.ts';
import type { Lists } from './growable.ts';
import type { Names } from './names.ts';

/** What a principal stands for; with a number into the column of its kind. */
export const PRINCIPAL = {
  user: 0,
  group: 1,
  address: 2,
  everyone: 3,
  domain: 4,
  anyone: 5,
} as const;

export interface Problem {
  /** The kind and id of the row that is at fault. */
  row: string;
  reason: string;
}

/**
 * Grants and links together: an entry gives a role on a node to principals. Those on node n are
 * numbered from `first[n]` up to `first[n + 1]`; those on nothing that is known come last.
 */
export interface Entries {
  ids: Names;
  /** Which of the rows that were taken, in their order, each was. */
  row: Int32Array;
  first: Int32Array;
  /** 0 for a grant, 1 + the index in AUDIENCES for a link. */
  type: Uint8Array;
  node: Int32Array;
  role: Uint8Array;
  /** 1 where a link forbids copies. */
  noCopies: Uint8Array;
  /** Milliseconds since 1970; Infinity where it never ends. */
  expires: Float64Array;
  /** Milliseconds since 1970; NaN where unknown. */
  made: Float64Array;
  /** Grant: the one grantee. Link: its recipients. Pairs are (principal kind, number). */
  toKind: Lists;
  toNumber: Lists;
  /** Link: who redeemed it, and when (milliseconds; −Infinity where unknown). */
  redeemedKind: Lists;
  redeemedNumber: Lists;
  redeemedAt: Float64Array;
}

export interface Organisation {
  /** The moment of judgement, in milliseconds since 1970. */
  takenAt: number;
  own: OrganisationRow;
  workspaces: WorkspaceRow[];
  /** Members, then guests: so that each kind can be counted in one run of words. */
  users: PersonRow[];
  /** 0 where something merely names the user. */
  userListed: Uint8Array;
  memberRows: number;
  groups: { id: string; name: string }[];
  /** Members by group: a user's number, or ~number of a group. */
  members: Lists;
  spaces: SpaceRow[];
  /** 1 where the space has a row of its own; 0 where something merely names it. */
  spaceListed: Uint8Array;
  /** 1 where the space's workspace honours breaks in inheritance. */
  breakable: Uint8Array;
  /** Index into EXTERNAL_SHARING, the narrower of the workspace's and the space's. */
  external: Uint8Array;
  /** Gate groups by space; −1 for a group that is unknown. No entry: no gate. */
  gates: Lists;
  /**
   * Items are numbered in preorder, space by space: what is below item i are the items from i + 1 up
   * to `itemEnd[i]`, and those of space s are from `spaceFirst[s]` up to `spaceFirst[s + 1]`.
   */
  itemIds: Names;
  /** Which of the rows that were taken, in their order, each was. */
  itemRow: Int32Array;
  spaceFirst: Int32Array;
  itemEnd: Int32Array;
  /** Columns by item. Parent is −1 at the top of a space; owner is −1 where there is none. */
  itemSpace: Int32Array;
  itemParent: Int32Array;
  itemOwner: Int32Array;
  /**
   * Bits: `BREAKS` where the item takes nothing from its parent (only ever in a breakable workspace);
   * `HELD` where nothing applies to it at all, because it (`HELD_ITSELF`) or a folder above it is in
   * quarantine or in the bin. So 0 is an item that takes what is above.
   */
  itemBreaks: Uint8Array;
  entries: Entries;
  addresses: string[];
  domains: string[];
  problems: Problem[];
  /** Of a part (part.ts): 1 for whoever, and what, is counted and not told by name. */
  hidden?: Record<'user' | 'group' | 'address', Uint8Array>;
  /** Number of a user, group, space, item or entry by id, or −1. */
  find(kind: 'user' | 'group' | 'space' | 'item' | 'grant' | 'link', id: string): number;
}

export const BREAKS = 1;
export const HELD = 2;
export const HELD_ITSELF = 4;

/** Makes `HELD` right for items from one up to another, which make whole trees, from `HELD_ITSELF`. */
export function spreadHeld(breaks: Uint8Array, parent: Int32Array, from: number, to: number): void {
  for (let i = from; i < to; i++) {
    const held = breaks[i]! & HELD_ITSELF || (parent[i]! >= 0 && breaks[parent[i]!]! & HELD);
    breaks[i] = held ? breaks[i]! | HELD : breaks[i]! & ~HELD;
  }
}

/** Nodes are spaces, then items: the node of item i is `spaces.length + i`. */
export const nodeOfItem = (org: Organisation, item: number): number => org.spaces.length + item;

export const spaceOfNode = (org: Organisation, node: number): number =>
  node < org.spaces.length ? node : org.itemSpace[node - org.spaces.length]!;

/** The node above: a folder or the space; −1 above a space. */
export function parentNode(org: Organisation, node: number): number {
  const S = org.spaces.length;
  if (node < S) return -1;
  const parent = org.itemParent[node - S]!;
  return parent < 0 ? org.itemSpace[node - S]! : S + parent;
}

/** The items at or below a node: from the first up to, not including, the second. */
export function itemsBelow(org: Organisation, node: number): [number, number] {
  const S = org.spaces.length;
  return node < S ? [org.spaceFirst[node]!, org.spaceFirst[node + 1]!] : [node - S, org.itemEnd[node - S]!];
}

/** The narrower of a workspace's and a space's external sharing, as an index into EXTERNAL_SHARING. */
export const externalLevel = (
  workspace: Pick<WorkspaceRow, 'externalSharing'> | undefined,
  space: Pick<SpaceRow, 'externalSharing'>,
): number =>
  Math.max(
    EXTERNAL_SHARING.indexOf(workspace?.externalSharing ?? 'anyone'),
    EXTERNAL_SHARING.indexOf(space.externalSharing ?? 'anyone'),
  );

/** An RFC 3339 time in milliseconds since 1970. */
export const time = (text: string | undefined, absent: number): number => {
  if (text === undefined) return absent;
  const ms = momentOf(text);
  return Number.isNaN(ms) ? absent : ms;
};

/** Whether the address belongs to the organisation itself: its domain, or one below it. */
export const isOwnAddress = (own: OrganisationRow, address: string): boolean =>
  coveredBy(domainOf(address), own.domains);
