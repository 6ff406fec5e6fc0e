/** The shapes in which services answer; the interface knows these and nothing below them. */
import type { Audience, Capability, Part, Role, SpaceKind, Tier } from '../core/model.ts';
import type { Measure } from '../core/exposure/crosstab.ts';
import type { Severity } from '../core/exposure/exposure.ts';
import type { ReachSummary } from '../core/access/reach.ts';
import type { CustomType } from '../core/recognise/custom.ts';
import type { ObjectKey, PlannedChange } from '../core/remedy/plan.ts';
import type { KeepOut } from '../core/remedy/goal.ts';
import type { Preset, Suggestion } from '../core/recognise/threshold.ts';
import type { Level, Reason } from '../core/recognise/types.ts';

export type AccountRole = 'steward' | 'auditor' | 'owner';
export interface Account {
  id: number;
  name: string;
  address: string;
  role: AccountRole;
}

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

export interface FindingRow {
  id: number;
  source: string;
  item: string;
  state: 'open' | 'accepted' | 'fixed' | 'reopened';
  severity: Severity;
  points: number;
  weight: number;
  now: Tier;
  could: Tier;
  summary: FindingSummary;
  /** Until a day (YYYY-MM-DD), and why. */
  accepted?: { until: string; reason: string };
  /** Address of whom it is given to. */
  assignee: string | null;
  notes: number;
  opened: string | null;
}
export interface FindingsPage {
  rows: FindingRow[];
  total: number;
  points: number;
  /** Of all findings, however the list is held. */
  open: number;
  accepted: number;
  fixed: number;
}
export const FINDING_SORTS = ['points', 'weight', 'reach', 'name'] as const;
export const FINDING_GROUPS = ['item', 'space', 'owner', 'type', 'domain', 'cause'] as const;
export type FindingGroupBy = (typeof FINDING_GROUPS)[number];
export interface FindingGroup {
  /** Empty: none. */
  value: string;
  findings: number;
  points: number;
  weight: number;
  now: Tier;
  could: Tier;
  /** Where each group is one finding. */
  finding?: number;
}
export interface FindingEvent {
  at: string;
  survey: number | null;
  what: string;
  who: string | null;
  detail: {
    until?: string;
    reason?: string;
    to?: string | null;
    note?: string;
    /** What brought it back, and who made that. */
    words?: string;
    by?: string;
  };
  plan: number | null;
  planName: string | null;
}
export interface SavedView {
  id: number;
  name: string;
  path: string;
  search: string;
  shared: boolean;
  /** Who keeps it; absent where it is one's own. */
  by?: string;
}
export interface FindingSummary {
  name: string;
  space: string;
  path: string;
  owner?: string;
  types: { name: string; distinct: number }[];
  /** The points, line by line. */
  lines: { why: string; points: number }[];
  /** What makes the reach too wide, in words. */
  through: string[];
  /** The newest of it: who made it, where that is known. */
  newest?: { words: string; by?: string; at?: string };
  domains: string[];
  /** In short: how many domains more there are. */
  domainsMore?: number;
}

export interface FoundContent {
  dataType: string;
  name: string;
  distinct: number;
  occurrences: number;
  certainty: number;
  /** From this certainty on it counts. */
  from: number;
  matches: {
    part: Part;
    start: number;
    end: number;
    masked: string;
    where?: string;
    certainty: number;
    reasons: Reason[];
  }[];
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

export interface Dossier {
  source: string;
  item: {
    id: string;
    name: string;
    kind: 'folder' | 'file';
    mime?: string;
    bytes?: number;
    label?: string;
    owner?: string;
    modifiedAt?: string;
    path: string[];
    space: { id: string; name: string; kind: SpaceKind };
  };
  reach: { now: ReachSummary; could: ReachSummary };
  weight: number;
  allowed: Tier;
  weighing: { why: string; weight: number }[];
  contents: FoundContent[];
  scan: 'scanned' | 'name-only' | 'unreadable';
  /** What was not read of it, in a sentence. */
  unread?: string;
  routes: RouteDto[];
  /** What “withdraw outside access” would pick up, and what it would leave because members hold it too. */
  withdrawable: EntryRef[];
  mixed: EntryRef[];
  survey: number;
  takenAt: string;
}

/** A change that was picked up or planned. */
export interface ChangeRef {
  change: PlannedChange;
  words: string;
  /** The grant or link, where it is one. */
  entry?: EntryRef;
  /** Why the workspace cannot make it, with the nearest thing that it can. */
  cannot?: string;
}
/** Something that could be done, with whom it would hurt and the points it would close. */
export interface ChangeOption {
  change: PlannedChange;
  words: string;
  cannot?: string;
  members: number;
  external: number;
  closes: number;
}
export interface PreviewPerson extends PersonRef {
  /** Items no longer reached at all, and items on which less can be done. */
  loses: number;
  reduced: number;
  /** Items of these that they used lately. */
  used: number;
  capabilities: Capability[];
}
export interface PreviewItem {
  key: string;
  source: string;
  item: string;
  name: string;
  space: string;
  weight: number;
  before: { now: Tier; could: Tier; points: number };
  after: { now: Tier; could: Tier; points: number };
  /** Identities that can do less with it. */
  losing: number;
}
export interface Preview {
  survey: number;
  takenAt: string;
  changes: ChangeRef[];
  /** Picked up, but no longer there in this survey. */
  missing: PlannedChange[];
  members: number;
  guests: number;
  outsiders: number;
  /** Anybody at all who held the link no longer could. */
  anybody: boolean;
  wholeDomains: string[];
  /** Who loses something: who used it lately first, then members (the first 1,000). */
  people: PreviewPerson[];
  /** Of those who lose something, who used some of it lately. */
  usedLately: number;
  usedDays: number;
  /** Who comes by what is changed and can do as much without it, and by what (the first 50). */
  keep: (PersonRef & { by: string })[];
  keeping: number;
  spaces: { key: string; name: string; items: number; people: number }[];
  /** Items whose reach changes, the most points closed first (the first 500). */
  items: PreviewItem[];
  itemsTouched: number;
  itemsChanged: number;
  /** The heaviest of them. */
  heaviest: number;
  pointsBefore: number;
  pointsAfter: number;
  /** Messages that workspaces send because of it. */
  messages: { words: string; count: number }[];
}

/** What a steward has in the tray, in the order in which it will be done. */
export interface TrayState {
  list: { seq: number; change: PlannedChange; words: string | null }[];
  goals: { seq: number; words: string }[];
  /** Pairs of `seq` of which only one can be had. */
  conflicts: [number, number][];
  preview?: Preview;
}

export type { KeepOut };
export interface PlanGoal {
  keepOut: KeepOut;
  items: { source: string; item: string }[];
  words: string;
}
/** Whether a goal holds, by computation on what is known now. */
export interface GoalProof {
  words: string;
  holds: boolean;
  items: number;
  /** Items on which it does not, and the first ways in that are left. */
  open: number;
  ways: string[];
}
export interface PlanProof {
  survey: number;
  goals: GoalProof[];
  /** Points of the items that the plan touched. */
  pointsBefore: number;
  pointsAfter: number;
}

export type ChangeState =
  | 'planned'
  | 'sending'
  | 'sent'
  | 'verified'
  | 'already-gone'
  | 'unexpected'
  | 'failed'
  | 'left'
  | 'undo-planned'
  | 'undo-sending'
  | 'undo-sent'
  | 'undone'
  | 'undo-unexpected'
  | 'undo-failed';
export type PlanState =
  'draft' | 'asked' | 'approved' | 'scheduled' | 'applying' | 'applied' | 'undoing' | 'undone' | 'discarded';

/** A field in which what was expected and what was found differ. */
export interface FieldDifference {
  field: string;
  expected: string;
  found: string;
}
export interface PlanChange extends ChangeRef {
  id: number;
  seq: number;
  state: ChangeState;
  note: string | null;
  changedAt: string | null;
  differences: FieldDifference[];
  /** It came back after it was done: in which survey, and who brought it back, where that is known. */
  drift: { survey: number; by: string | null; words: string } | null;
}
export interface Approval {
  /** Why a second steward is wanted. */
  wants: string[];
  askedBy?: string;
  askedAt?: string;
  /** Who approved or refused, and what they said. */
  by?: string;
  at?: string;
  approved?: boolean;
  said?: string;
}
export interface PlanRow {
  id: number;
  name: string;
  reason: string;
  state: PlanState;
  halt: 'paused' | 'cancelled' | null;
  survey: number;
  madeBy: string;
  madeAt: string;
  appliedAt: string | null;
  finishedAt: string | null;
  scheduledFor: string | null;
  changes: number;
  verified: number;
  troubled: number;
  drifted: number;
  /** Goals that do not hold. */
  unmet: number;
}
/** What a plan has gone through, for its timeline. */
export interface PlanEvent {
  at: string;
  who: string;
  what: string;
  note?: string;
}
export interface PlanDetail extends PlanRow {
  preview: Preview;
  list: PlanChange[];
  goals: PlanGoal[];
  approval: Approval | null;
  proof: PlanProof | null;
  note: string | null;
  events: PlanEvent[];
  /** What is not as the preview says, where the survey in force is a newer one. */
  moved: string[] | null;
}

/** Something in quarantine. */
export interface HeldRow {
  key: string;
  source: string;
  item: string;
  name: string;
  kind: 'folder' | 'file';
  space: string;
  workspace: string;
  weight: number;
  files: number;
  owner?: string;
  /** How far it would be reached if it were released, and by how many. */
  back: { now: Tier; could: Tier; people: number };
  plan?: { id: number; name: string; by: string; at: string; reason: string };
}

export interface SurveyStep {
  name: string;
  state: 'waiting' | 'running' | 'done' | 'failed';
  done: number;
  total: number | null;
  failed: number;
  startedAt: string | null;
  finishedAt: string | null;
  note: string | null;
}
export interface SurveyRow {
  id: number;
  kind: 'full' | 'incremental' | 'read-back';
  state: 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted';
  startedBy: string;
  startedAt: string;
  finishedAt: string | null;
  takenAt: string | null;
  reason: string | null;
  plan: number | null;
  failures: number;
  /** Rows it made, altered and ended. */
  added: number;
  altered: number;
  removed: number;
  steps: SurveyStep[];
}
export interface SourceRow {
  id: string;
  kind: 'directory' | 'drives' | 'sites' | 'channels' | 'extract';
  name: string;
  url: string;
  counts: Record<string, number>;
}

/** How far the last survey is read after a start. */
export interface Reading {
  rows: number;
  /** Of so many, where that is known. */
  of: number | null;
}

/** The counts on the course bar. */
export interface Course {
  survey: { running: boolean; last: string | null; id: number | null };
  exposure: number;
  remedy: number;
  /** Data types that are looked for. */
  guard: number;
  record: number;
  tray: number;
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
    column: 'who' | 'group' | 'entry' | 'node';
    label: string;
    detail?: string;
    /** People at it, for bundles. */
    people?: PersonRef[];
    count?: number;
    entry?: EntryRef;
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

/** A row of Contents: a data type, or one in one workspace. */
export interface ContentRow {
  type: string;
  name: string;
  weight: number;
  ws?: string;
  workspace?: string;
  files: number;
  occurrences: number;
  owners: number;
  /** Files by how far they could be reached, narrowest first. */
  tiers: number[];
}
export interface ContentsPage {
  rows: ContentRow[];
  /** Files that hold something, each once; files that were scanned; and those that were not, or not whole. */
  files: number;
  scanned: number;
  unread: number;
  survey: number;
  takenAt: string;
}
export interface ContentFile {
  key: string;
  source: string;
  item: string;
  name: string;
  path: string;
  owner?: string;
  weight: number;
  now: Tier;
  could: Tier;
  types: { name: string; distinct: number }[];
  occurrences: number;
  certainty: number;
  scannedAt?: string;
}
export interface UnreadFile {
  key: string;
  source: string;
  item: string;
  name: string;
  path: string;
  owner?: string;
  bytes?: number;
  now: Tier;
  could: Tier;
  reason: string;
  scannedAt?: string;
}

/** How often a data type is found. */
export interface TypeUse {
  files: number;
  occurrences: number;
  presets: Record<Preset, { files: number; occurrences: number }>;
  levels: Level[];
}
export interface TypeRow {
  id: string;
  name: string;
  weight: number;
  country?: string;
  source: string;
  /** Made by stewards; it is looked for where `active`. */
  custom: boolean;
  active: boolean;
  /** From which certainty it counts, and whether that is its own. */
  from: number;
  ownCertainty: boolean;
  packs: string[];
  use: TypeUse | null;
}
export interface TypeDetail extends TypeRow {
  /** How it is recognised, in words. */
  shapes: string[];
  context: Record<string, readonly string[]>;
  otherwise: readonly string[];
  needsContext: boolean;
  examples: number;
  definition?: CustomType;
  changedAt?: string;
  changedBy?: string;
  samples: TypeSample[];
  marks: { right: number; wrong: number };
  suggestion?: Suggestion;
}
export interface TypeSample {
  source: string;
  item: string;
  key: string;
  file: string;
  path: string;
  part: string;
  where?: string;
  place: string;
  masked: string;
  certainty: number;
  reasons: Reason[];
}
export interface PackRow {
  id: string;
  name: string;
  about: string;
  types: string[];
  /** Made or copied here; those that ship are not changed. */
  own: boolean;
  copiedFrom?: string;
}
export interface BenchResult {
  /** The text as it was read, part by part. */
  text: { part: Part; text: string }[];
  found: Omit<FoundContent, 'from'>[];
  left: string[];
  read: boolean;
  milliseconds: number;
}

/** An external domain, by what is registered. */
export interface OutsideRow {
  domain: string;
  standing: 'partner' | 'unknown';
  consumer: boolean;
  likens?: { domain: string; how: string };
  /** Guests and outsiders of it. */
  people: number;
  /** Granted to everybody of it. */
  whole: boolean;
  /** Grants and links in force that name somebody of it, and on what they are. */
  shares: number;
  levels: Record<'space' | 'folder' | 'file', number>;
  /** Files it can reach, heavy ones among them, the heaviest, and their exposure points. */
  files: number;
  heavy: number;
  heaviest: number;
  points: number;
  /** Departments of who shared, the most first. */
  sharers: { name: string; shares: number }[];
  lastUsed: string | null;
  since: string | null;
}
export const OUTSIDE_SHOWS = ['all', 'unknown', 'partner', 'consumer', 'look-alike'] as const;
export type OutsideShow = (typeof OUTSIDE_SHOWS)[number];
export interface OutsidePage {
  rows: OutsideRow[];
  counts: Record<OutsideShow, number>;
  flows: { department: string; domain: string; shares: number }[];
  survey: number;
  takenAt: string;
}
export interface ShareRow {
  entry: EntryRef;
  key: string;
  /** The heaviest at or below it, and how many files. */
  weight: number;
  files: number;
  label?: string;
  lastUsed: string | null;
}
export interface OutsideDossier {
  row: OutsideRow;
  names: string[];
  shares: ShareRow[];
  sharesMore: number;
  people: PersonRef[];
  /** What stewards said of it. */
  partner?: { until: string | null; sponsor: string; by: string; at: string };
}
export interface PartnerPreview {
  /** Files whose reach changes. */
  files: number;
  findings: { before: number; after: number };
  points: { before: number; after: number };
}

/** Something that makes exposures, and what one change at it would do. */
export interface CauseRow {
  key: string;
  /** As it can be picked up. */
  planned?: PlannedChange;
  cannot?: string;
  kind: 'grant' | 'link' | 'visibility' | 'membership';
  /** In plain words. */
  words: string;
  entry?: EntryRef;
  /** Where it is. */
  node?: NodeRefDto;
  points: number;
  findings: number;
  /** Points closed by this and the causes above it together. */
  together: number;
  /** Members, and others, who would lose something. */
  members: number;
  external: number;
  /** The first of them. */
  people: PersonRef[];
  /** The files it would close, the most first. */
  files: { node: NodeRefDto; path: string; points: number; weight: number }[];
  filesMore: number;
}
export interface CausesPage {
  rows: CauseRow[];
  points: number;
  findings: number;
  survey: number;
  takenAt: string;
}

/** Tables that can be taken away. */
export const TABLES = [
  'findings', 'causes', 'contents', 'content-files', 'unread', 'outside', 'holdings', 'people', 'changes', 'cross', 'cross-files',
] as const; // prettier-ignore
export type TableName = (typeof TABLES)[number];

/** Ways to cut a cross-tabulation. */
export const DIMENSIONS = [
  'level', 'role', 'audience', 'label', 'type', 'weight', 'reach', 'workspace', 'space-kind', 'department', 'domain', 'age', 'used',
] as const; // prettier-ignore
export type DimensionName = (typeof DIMENSIONS)[number];
export interface CrossCell {
  /** Index of the value by dimension; null for the total over it. */
  at: (number | null)[];
  /** By measure, as asked for. */
  values: number[];
}
export interface CrossPage {
  by: DimensionName[];
  measures: Measure[];
  values: string[][];
  cells: CrossCell[];
  /** Whether one item can be in several of a dimension's values, so that they sum to more than the total. */
  overlaps: boolean[];
  survey: number;
  takenAt: string;
}
export interface CrossFile {
  key: string;
  source: string;
  item: string;
  kind: 'folder' | 'file';
  name: string;
  path: string;
  owner?: string;
  types: string[];
  weight: number;
  now: Tier;
  could: Tier;
  points: number;
  bytes: number;
}

/** Something that is new since the survey before, and the first of it. */
export interface ChangeNews {
  kind: 'brighter' | 'domains' | 'open-links' | 'guests' | 'wide';
  count: number;
  first: { words: string; key: string }[];
}
/** What a survey comes to. */
export interface SurveySum {
  /** Rows that the sources gave; not known of surveys of older versions. */
  rows?: number;
  points: number;
  findings: number;
  /** Weight by reach. */
  matrix: CrossPage;
  coverage: { files: number; scanned: number; holding: number; unread: number; problems: number };
  /** The survey before, and what is new since. */
  since?: number;
  news?: ChangeNews[];
}
/** A change that closes an exposure. */
export interface Fix {
  words: string;
  /** What is picked up for it; none where no source can be asked to make it. */
  changes: PlannedChange[];
  /** Points of this exposure that it closes. */
  closes: number;
  /** Members, and others, who lose something. */
  members: number;
  external: number;
}
export interface Waiting {
  kind:
    | 'survey-failed' | 'not-read' | 'survey-old' | 'plans-troubled' | 'reopened' | 'mine' | 'asked' | 'drafts' | 'accepted-ending' | 'partners-ending';
  count: number;
} // prettier-ignore
export interface WatchPage {
  sum: SurveySum & { survey: number };
  /** Findings that are open now, and their points. */
  open: number;
  points: number;
  costliest: FindingRow[];
  history: { survey: number; at: string; points: number; findings: number; plan: number | null; planName: string | null }[];
  waiting: Waiting[];
} // prettier-ignore

/** A change of a cut. */
export interface CutChange {
  change: object;
  kind: 'suspension' | 'membership' | 'grant' | 'link' | 'visibility' | 'inheritance' | 'sharing';
  words: string;
  /** Uses that it takes, alone, from those who should keep them; one that was used lately counts 25. */
  cost: number;
  /** The grant or link, where it is one. */
  entry?: EntryRef;
  /** As it can be picked up; absent where no source holds what it changes. */
  planned?: PlannedChange;
  cannot?: string;
  /** What would close the same way. */
  instead: { words: string; cost: number }[];
}
export interface CutOption {
  character: 'fewest-hurt' | 'fewest-changes' | 'at-the-cause';
  changes: CutChange[];
  cost: number;
  /** Value of the maximum flow, which proves the cut. */
  flow: number;
  members: number;
  external: number;
  /** The first of those who lose something. */
  people: PersonRef[];
  /** Points and findings closed, of all items. */
  closes: number;
  findings: number;
  /** The ways in, with what is cut struck. */
  drawing: RouteGraph;
}
export type CutPage = { met: true; items: number; cuts: CutOption[] } | { met: false; prevents: string[] };
