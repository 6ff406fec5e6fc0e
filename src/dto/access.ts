/** Who can reach what, as the interface knows it. */
import type { Audience, Capability, Role, SpaceKind, Tier } from '../core/model.ts';
import type { ReachSummary } from '../core/access/reach.ts';
import type { ObjectKey, PlannedChange } from '../core/remedy/plan.ts';
import type { FoundContent } from './contents.ts';

export interface PersonRef {
  /** A user's id, or an outsider's address. */
  id: string;
  name: string;
  address: string;
  kind: 'member' | 'guest' | 'outsider';
}

/** A grant or link as people read it. */
export interface EntryRef {
  kind: 'grant' | 'link';
  source: string;
  id: string;
  role: Role;
  /** Grant: the grantee. Link: its audience and recipients. */
  to: string;
  audience?: Audience;
  /** The node it is on. */
  on: { kind: 'space' | 'folder' | 'file'; id: string; name: string };
  madeBy?: string;
  madeAt?: string;
  lastUsedAt?: string;
}

export interface RouteDto {
  who: PersonRef[];
  more: number;
  role: Role;
  /** Groups from the identity's own outward. */
  groups: string[];
  as?: 'everyone' | 'domain' | 'anyone' | 'redeemed' | 'could';
  through: EntryRef | { kind: 'visibility' | 'ownership'; name: string };
  /** Folders it comes down by, the top one first. */
  down: { kind: 'space' | 'folder' | 'file'; name: string }[];
  outside: boolean;
}

export interface NodeRefDto {
  /** `space:SOURCE:ID` or `item:SOURCE:ID`. */
  key: string;
  kind: 'space' | 'folder' | 'file';
  name: string;
}

export interface ObstacleDto {
  by: string;
  words: string;
  entry?: EntryRef;
}

/** A row of Holdings: a workspace, a space, a folder or a file. */
export interface HoldingRow {
  key: string;
  kind: 'workspace' | 'space' | 'folder' | 'file';
  name: string;
  /** Of a space: its kind. */
  spaceKind?: SpaceKind;
  /** Where it lies, where rows are not shown as a tree. */
  path?: string;
  now: Tier;
  could: Tier;
  /** The heaviest at or below it. */
  weight: number;
  /** The widest reach of anything at or below it. */
  below: { now: Tier; could: Tier };
  files: number;
  exposed: number;
  members: number;
  external: number;
  owners: string[];
  lastActivity?: string;
  bytes: number;
  /** Rows that open below it. */
  children: number;
  breaks?: boolean;
}

export interface HoldingPage {
  rows: HoldingRow[];
  total: number;
  survey: number;
  takenAt: string;
}

export interface WhoRow {
  person: PersonRef;
  capabilities: Capability[];
  /** What they did in the last days, where activity says. */
  used: 'edited' | 'opened' | 'not used';
}

/** A drawing of every route to a node: columns from identities to the node. */
export interface RouteGraph {
  nodes: {
    id: string;
    column: 'app' | 'who' | 'group' | 'entry' | 'node';
    label: string;
    detail?: string;
    /** People at it, for bundles. */
    people?: PersonRef[];
    count?: number;
    /** The grants or links that it stands for. */
    entries?: EntryRef[];
    node?: NodeRefDto;
    outside?: boolean;
    used?: boolean;
    /** A cut goes through it. */
    struck?: boolean;
  }[];
  edges: {
    from: string;
    to: string;
    /** How many lose every access to the node if this segment is cut; absent where it cannot be. */
    cut?: number;
    used: boolean;
    could?: boolean;
    struck?: boolean;
  }[];
  people: number;
  /** Bundles that are not drawn for want of room, and the people in them. */
  left: { bundles: number; people: number };
}

export interface NodeDossier {
  node: NodeRefDto;
  source: string;
  workspace: string;
  spaceKind?: SpaceKind;
  path: NodeRefDto[];
  reach: { now: ReachSummary; could: ReachSummary };
  weight: number;
  allowed: Tier;
  weighing: { why: string; weight: number }[];
  contents: FoundContent[];
  unread?: string;
  owners: string[];
  /** By which they are known, as those of people. */
  ownerKeys: string[];
  label?: string;
  mime?: string;
  bytes?: number;
  modifiedAt?: string;
  lastActivity?: string;
  settings: string[];
  parts: NodeRefDto[];
  files: number;
  exposed: number;
  heaviest: { node: NodeRefDto; weight: number; now: Tier; could: Tier; finding: boolean }[];
  survey: number;
  takenAt: string;
  usedDays: number;
}

export interface IdentityRow {
  /** `user:ID`, `outsider:ADDRESS`, `group:ID` or `domain:NAME`. */
  key: string;
  kind: 'member' | 'guest' | 'outsider' | 'inactive' | 'group' | 'domain';
  name: string;
  detail: string;
  /** Items and spaces it reaches; absent while it is not counted yet. */
  items: number | null;
  heavy: number | null;
  members?: number;
  external?: number;
  /** Share of all active members, for a group. */
  share?: number;
  grants: number;
  dangling?: number;
  flags: string[];
}

export interface IdentityPage {
  rows: IdentityRow[];
  total: number;
  counts: Record<string, number>;
  survey: number;
}

export interface WhatSummary {
  items: number;
  spaces: {
    node: NodeRefDto;
    workspace: string;
    items: number;
    heaviest: number;
    widest: Tier;
    capabilities: Capability[];
  }[];
  /** Items by weight (row) and widest reach (column). */
  matrix: number[][];
}

export interface IdentityDossier {
  row: IdentityRow;
  /** Its account, where it can be changed. */
  account?: ObjectKey;
  addresses: string[];
  department?: string;
  title?: string;
  /** Groups it is in (of a group: that hold it), directly and through others. */
  within: { key: string; name: string; direct: boolean; leave?: PlannedChange }[];
  /** Of a group: what it holds. */
  holds: { key: string; name: string; kind: IdentityRow['kind']; leave?: PlannedChange }[];
  holdsMore: number;
  /** Of a group: groups nested in it and holding it, as a drawing. */
  nesting: {
    nodes: { key: string; name: string; members: number; level: number }[];
    edges: [string, string][];
  };
  rule?: string;
  /** Where it is named itself. */
  granted: EntryRef[];
  grantedMore: number;
  what: WhatSummary;
  survey: number;
}

export interface ChangeRow {
  key: string;
  kind: 'space' | 'folder' | 'file';
  name: string;
  path: string;
  change: 'added' | 'removed' | 'brighter' | 'darker' | 'same';
  weight: number;
  before: { now: Tier; could: Tier } | null;
  after: { now: Tier; could: Tier } | null;
  gained: number;
  lost: number;
  /** The first cause, in words. */
  by: string;
}

export interface ChangesPage {
  from: { survey: number; takenAt: string };
  to: { survey: number; takenAt: string };
  rows: ChangeRow[];
  total: number;
  counts: Record<'brighter' | 'darker' | 'added' | 'removed' | 'same', number>;
  causes: { words: string; count: number }[];
}

export interface ChangeDossier {
  row: ChangeRow;
  gained: PersonRef[];
  lost: PersonRef[];
  by: { words: string; entry?: EntryRef }[];
}

export interface WhyDto {
  person: PersonRef;
  node: NodeRefDto;
  path: NodeRefDto[];
  capabilities: Capability[];
  routes: {
    role: Role;
    capabilities: Capability[];
    groups: { key: string; name: string }[];
    as?: string;
    through: EntryRef | { kind: 'visibility' | 'ownership'; name: string };
    down: NodeRefDto[];
    used: boolean;
  }[];
  /** What keeps this identity from more, step by step. */
  keeps: ObstacleDto[];
}
