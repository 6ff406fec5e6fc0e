/** Third-party apps, as the interface knows them. */
import type { Severity } from '../core/exposure/exposure.ts';
import type { Capability, Tier } from '../core/model.ts';
import type { NodeRefDto, PersonRef } from './access.ts';

export const APP_SHOWS = ['all', 'everyone', 'unverified', 'unused', 'new'] as const;
export type AppShow = (typeof APP_SHOWS)[number];
export const APP_SORTS = ['points', 'name', 'heavy', 'items', 'people', 'lastUsed', 'made'] as const;

export interface AppRowDto {
  /** `SOURCE:CLIENT ID`. */
  key: string;
  name: string;
  publisher: string;
  verified: boolean;
  category: string;
  workspace: string;
  /** How many people let it in, and whether an administrator did for everyone. */
  people: number;
  everyone: boolean;
  /** What it could read. */
  items: number;
  files: number;
  /** Files by weight, 0 to 4. */
  byWeight: number[];
  heavy: number;
  points: number;
  severity: Severity;
  lastUsed: string | null;
  made: string | null;
}

export interface AppPage {
  rows: AppRowDto[];
  total: number;
  counts: Record<AppShow, number>;
  survey: number;
  takenAt: string;
}

/** A scope in words. */
export interface ScopeDto {
  scope: string;
  /** After “It can”. */
  words: string;
  known: boolean;
  /** Whether it is for everyone. */
  everyone: boolean;
  /** How many have let the app in for it. */
  people: number;
  /** What it allows on files. */
  capabilities: Capability[];
}

/** Whom an app was let in by. */
export interface AppGrantDto {
  id: string;
  source: string;
  /** Absent: for everyone, or for somebody who is not known. */
  person?: PersonRef & { key: string; active: boolean };
  everyone: boolean;
  scopes: string[];
  offline: boolean;
  grantedAt: string | null;
  grantedBy: string | null;
  /** From which device and network address; empty where the workspace does not say. */
  from: string;
  lastUsed: string | null;
}

export interface AppDossier {
  row: AppRowDto;
  homepage: string;
  redirectHosts: string[];
  /** What stewards have said of it. */
  approval: { approved: boolean; groups: string[]; scopes: string[]; until: string | null } | null;
  sum: { why: string; points: number }[];
  scopes: ScopeDto[];
  /** Those who used it last come first. */
  grants: AppGrantDto[];
  grantsMore: number;
  /** Ids of grants at their source, as far as can be picked up at once: all, and those that nobody has used for long. */
  all: string[];
  unused: string[];
  /** People who used it in the last days. */
  used: { days: number; people: number }[];
  spaces: { node: NodeRefDto; workspace: string; files: number; heavy: number }[];
  spacesMore: number;
  types: { name: string; files: number }[];
  /** Heavy files that nobody who let it in has opened, as far as activity says. */
  unopened: number;
  survey: number;
  takenAt: string;
}

export interface AppFileRow {
  key: string;
  name: string;
  path: string;
  weight: number;
  now: Tier;
  could: Tier;
  /** Whether anybody who let the app in has opened it, as far as activity says. */
  opened: boolean;
}
export interface AppFilesPage {
  rows: AppFileRow[];
  total: number;
}

/** What an app loses by changes that withdraw it. */
export interface AppLoss {
  key: string;
  name: string;
  /** It was let in for everyone, and is not any more. */
  everyone: boolean;
  people: number;
  /** Names of the first of them. */
  who: string[];
  /** How many of its grants were used lately. */
  usedLately: number;
  /** Grants that stay. */
  left: number;
  /** Files, and heavy ones, that it could read before and after. */
  files: number[];
  heavy: number[];
}

/** An app that can do something with a thing, or that somebody has let in. */
export interface AppReaderRow {
  key: string;
  name: string;
  severity: Severity;
  points: number;
  verified: boolean;
  capabilities: Capability[];
  /** Through how many people who let it in, or everyone’s. */
  people: number;
  everyone: boolean;
  /** In a space or folder: how many files. */
  files?: number;
  lastUsed: string | null;
}

export interface ScopeMeaningDto {
  /** Of workspaces of one kind; empty for all. */
  kind: string;
  scope: string;
  words: string;
  means: string[];
  by: string;
  at: string;
}
/** Scopes as a table: ours, what was said of others, and those that nobody has said anything of. */
export interface ScopeTable {
  ours: {
    scope: string;
    words: string;
    whose: 'own' | 'picked' | 'all';
    of: string;
    capabilities: Capability[];
    apps: number;
  }[];
  others: (ScopeMeaningDto & { apps: number })[];
  unknown: { scope: string; kind: string; apps: number }[];
}

/** Domains to which apps answer, and where their registrations are looked up. */
export interface AppDomainsPage {
  /** The base address of the server that is asked; null: none is. */
  url: string | null;
  /** How many there are, and of how many it is known. */
  domains: number;
  known: number;
  /** When one was last looked up. */
  lookedAt: string | null;
  /** Why it ended before its time, the last time. */
  trouble: string | null;
  /** Those that anybody can register, or whose registration ends within the next month: the soonest first. */
  ending: AppDomainRow[];
}
export interface AppDomainRow {
  domain: string;
  apps: { key: string; name: string }[];
  registered: boolean;
  ends: string | null;
  over: boolean;
}
