/** What spaces are for, those in which nothing happens and those without an owner, as the API speaks of them. */
import type { Charter, Purpose, Sensitivity } from '../core/ask/charter.ts';
import type { Sort } from '../core/sorts.ts';
import type { ActivitySource, SpaceDay } from '../core/ask/activity.ts';

export const SPACES_KEYS = ['idle', 'name', 'weight', 'files', 'external', 'bytes'] as const;
export type SpacesKey = (typeof SPACES_KEYS)[number];
export const SPACES_SHOWN = ['dormant', 'ownerless', 'charters'] as const;
export type SpacesShown = (typeof SPACES_SHOWN)[number];
export const SPACES_SHOWS = ['kept', 'archived', 'none', 'differs', 'few'] as const;
export type SpacesShow = (typeof SPACES_SHOWS)[number];
export interface SpacesQuery {
  /** Of which it is asked. */
  of: SpacesShown;
  /** `kept`: those that would be dormant and are kept; `archived`: and in the bin; `none`: without a charter; `differs`; `few`: fewer owners than the charter wants. */
  show?: SpacesShow | undefined;
  text?: string | undefined;
  kind?: string | undefined;
  sensitivity?: string | undefined;
  /** A condition over spaces. */
  where?: string | undefined;
  sort: readonly Sort<SpacesKey>[];
  limit: number;
  offset: number;
}

export interface LikelyOwnerRow {
  key: string;
  name: string;
  address: string;
  why: string;
}

export interface SpaceRow {
  key: string;
  name: string;
  kind: string;
  workspace: string;
  /** What belongs to a team, and is counted with it. */
  parts: { key: string; name: string }[];
  owners: { name: string; active: boolean }[];
  leastOwners: number;
  /** −1 where nothing is known. */
  idleDays: number;
  limit: number;
  last: string | null;
  bySource: Record<ActivitySource, string | null>;
  created: string | null;
  files: number;
  bytes: number;
  weight: number;
  external: number;
  archived: boolean;
  binned: boolean;
  keptUntil: string | null;
  charter: (Charter & { purposeName: string; sensitivityName: string }) | null;
  /** Settings that are not as the charter has them. */
  differs: { setting: string; is: string; wanted: string }[];
  /** Who may own it, the likeliest first; of spaces without an owner alone. */
  likely: LikelyOwnerRow[];
}

export interface SpacePage {
  row: ReviewSpace;
  from: string;
  to: string;
  byDay: SpaceDay[];
}

/** Spaces as they stand now, with what is being asked about them. */
export interface ReviewSpace extends SpaceRow {
  /** The round in which somebody is asked about it now. */
  asked: { round: number; kind: string; state: string; until: string; of: string[] } | null;
  /** Who kept it, and why. */
  kept: { until: string; by: string; reason: string } | null;
  chartered: { at: string; by: string; how: string } | null;
}
export interface ReviewSpaces {
  rows: ReviewSpace[];
  total: number;
  /** Spaces in all. */
  of: number;
}

/** What owners choose from where it is asked what a space is for. */
export interface CharterChoices {
  purposes: { id: string; name: string; description: string }[];
  sensitivities: { id: string; name: string; description: string }[];
}

export interface CharterBookDto {
  purposes: (Purpose & { spaces: number })[];
  sensitivities: (Sensitivity & { spaces: number })[];
  /** Spaces that can have a charter, those that have one, and those whose settings differ from theirs. */
  spaces: number;
  chartered: number;
  differs: number;
}
