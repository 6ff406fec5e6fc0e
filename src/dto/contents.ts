/** What files hold, as the interface knows it. */
import type { Tier } from '../core/model.ts';
import type { Match } from '../core/recognise/types.ts';

export interface FoundContent {
  dataType: string;
  name: string;
  distinct: number;
  occurrences: number;
  certainty: number;
  /** From this certainty on it counts. */
  from: number;
  matches: Match[];
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

/** A file that was scanned, or was to be. */
interface ScannedFile {
  key: string;
  source: string;
  item: string;
  name: string;
  path: string;
  owner?: string;
  now: Tier;
  could: Tier;
  scannedAt?: string;
}

export interface ContentFile extends ScannedFile {
  weight: number;
  types: { name: string; distinct: number }[];
  occurrences: number;
  certainty: number;
}

export interface UnreadFile extends ScannedFile {
  bytes?: number;
  reason: string;
}
