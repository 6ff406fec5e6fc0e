/** The shapes in which services answer; the interface knows these and nothing below them. */
import type { Audience, Capability, Part, Role, SpaceKind, Tier } from '../core/model.ts';
import type { Severity } from '../core/exposure/exposure.ts';
import type { ReachSummary } from '../core/access/reach.ts';
import type { Reason } from '../core/recognise/types.ts';

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
  domains: string[];
}

export interface FoundContent {
  dataType: string;
  name: string;
  distinct: number;
  occurrences: number;
  certainty: number;
  matches: { part: Part; start: number; end: number; masked: string; certainty: number; reasons: Reason[] }[];
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
  routes: RouteDto[];
  /** What “withdraw outside access” would pick up, and what it would leave because members hold it too. */
  withdrawable: EntryRef[];
  mixed: EntryRef[];
  survey: number;
  takenAt: string;
}

export interface PreviewPerson extends PersonRef {
  /** Items no longer reached at all, and items on which less can be done. */
  loses: number;
  reduced: number;
  capabilities: Capability[];
}
export interface PreviewItem {
  source: string;
  item: string;
  name: string;
  space: string;
  before: { now: Tier; could: Tier; points: number };
  after: { now: Tier; could: Tier; points: number };
}
export interface Preview {
  survey: number;
  takenAt: string;
  changes: EntryRef[];
  /** Picked up, but no longer there in this survey. */
  missing: { kind: 'grant' | 'link'; source: string; id: string }[];
  members: number;
  guests: number;
  outsiders: number;
  /** Anybody at all who held the link no longer could. */
  anybody: boolean;
  wholeDomains: string[];
  /** Everybody who loses something, members first. */
  people: PreviewPerson[];
  /** Items whose reach changes, the most points closed first (the first 500). */
  items: PreviewItem[];
  itemsTouched: number;
  itemsChanged: number;
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
  | 'undo-sending'
  | 'undo-sent'
  | 'undone'
  | 'undo-unexpected'
  | 'undo-failed';
export type PlanState = 'draft' | 'applying' | 'applied' | 'undoing' | 'undone' | 'discarded';

export interface PlanChange {
  id: number;
  seq: number;
  entry: EntryRef;
  state: ChangeState;
  note: string | null;
  changedAt: string | null;
}
export interface PlanRow {
  id: number;
  name: string;
  reason: string;
  state: PlanState;
  survey: number;
  madeBy: string;
  madeAt: string;
  appliedAt: string | null;
  finishedAt: string | null;
  changes: number;
  verified: number;
  troubled: number;
}
export interface PlanDetail extends PlanRow {
  preview: Preview;
  list: PlanChange[];
}

export interface SurveyStep {
  name: string;
  state: 'waiting' | 'running' | 'done' | 'failed';
  done: number;
  total: number | null;
  failed: number;
  startedAt: string | null;
  finishedAt: string | null;
}
export interface SurveyRow {
  id: number;
  kind: 'full' | 'read-back';
  state: 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted';
  startedBy: string;
  startedAt: string;
  finishedAt: string | null;
  takenAt: string | null;
  reason: string | null;
  plan: number | null;
  failures: number;
  steps: SurveyStep[];
}
export interface SourceRow {
  id: string;
  kind: 'directory' | 'drives';
  name: string;
  url: string;
  counts: Record<string, number>;
}

/** The counts on the course bar. */
export interface Course {
  survey: { running: boolean; last: string | null; id: number | null };
  exposure: number;
  remedy: number;
  record: number;
  tray: number;
}
