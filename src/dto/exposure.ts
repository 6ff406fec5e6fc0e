/** Exposures, causes, outside domains and cross-tabulations, as the interface knows them. */
import type { SpaceKind, Tier } from '../core/model.ts';
import type { Measure } from '../core/exposure/tab.ts';
import type { Severity } from '../core/exposure/exposure.ts';
import type { ReachSummary } from '../core/access/reach.ts';
import type { PlannedChange } from '../core/remedy/plan.ts';
import type { PersonRef, EntryRef, RouteDto, NodeRefDto } from './access.ts';
import type { FoundContent } from './contents.ts';
import type { Subject } from '../core/guard/kinds.ts';

export const FINDING_KINDS = ['exposure', 'breach'] as const;
export type FindingKind = (typeof FINDING_KINDS)[number];

export interface FindingRow {
  id: number;
  /** A file that is reached too far, or something that a rule hits. */
  kind: FindingKind;
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

export const FINDING_GROUPS = ['item', 'space', 'owner', 'type', 'domain', 'cause', 'rule'] as const;

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
  /** Of a breach: what hits it. */
  breach?: Breach;
}

/** A value that a condition asked about: a time in milliseconds since 1970, null where there is none. */
export type AskedValue = [field: string, value: number | string | boolean | string[] | null];

/** The rule that something breaks, and how. */
export interface Breach {
  policy: number;
  policyName: string;
  rule: string;
  ruleName: string;
  subject: Subject;
  /** What the condition asked about, as it was. */
  values: AskedValue[];
  /** A key as of hits, and what opens when it is clicked. */
  key: string;
  open: string;
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
  /** What was not scanned of it, in a sentence. */
  unread?: string;
  routes: RouteDto[];
  /** What “withdraw outside access” would pick up, and what it would leave because members hold it too. */
  withdrawable: EntryRef[];
  mixed: EntryRef[];
  survey: number;
  takenAt: string;
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

/** Ways to cut a cross-tabulation. */
export const DIMENSIONS = [
  'level',
  'role',
  'audience',
  'label',
  'type',
  'weight',
  'reach',
  'workspace',
  'space-kind',
  'department',
  'domain',
  'app',
  'age',
  'used',
] as const;

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
  kind: 'brighter' | 'domains' | 'open-links' | 'guests' | 'wide' | 'apps';
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
  /** The same in few words, for a list of fixes: what tells it from others first. */
  short: string;
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
    | 'survey-failed'
    | 'not-read'
    | 'survey-old'
    | 'plans-troubled'
    | 'signals'
    | 'runs-troubled'
    | 'sharing-suspended'
    | 'messages-failed'
    | 'breaches'
    | 'reopened'
    | 'mine'
    | 'limits-proposed'
    | 'roles-asked'
    | 'limits-lowered'
    | 'sign-in-lowered'
    | 'asked'
    | 'drafts'
    | 'accepted-ending'
    | 'partners-ending';
  count: number;
}

export interface WatchPage {
  sum: SurveySum & { survey: number };
  /** Findings that are open now, and their points. */
  open: number;
  points: number;
  costliest: FindingRow[];
  history: {
    survey: number;
    at: string;
    points: number;
    findings: number;
    plan: number | null;
    planName: string | null;
  }[];
  waiting: Waiting[];
}
