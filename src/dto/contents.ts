/** What files hold, as the interface knows it. */
import type { Part, Tier } from '../core/model.ts';
import type { Reason } from '../core/recognise/types.ts';

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
