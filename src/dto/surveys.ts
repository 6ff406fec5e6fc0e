/** Sources and surveys, as the interface knows them. */

import type { JobStep } from './jobs.ts';

export interface SurveyRow {
  id: number;
  kind: 'full' | 'incremental' | 'read-back';
  state: 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted' | 'dropped';
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
  steps: JobStep[];
}

export interface SourceRow {
  id: string;
  kind: 'directory' | 'drives' | 'sites' | 'channels' | 'extract';
  name: string;
  /** Empty of an extract, which was put into this application. */
  url: string;
  /** It is not read; what was known of it stays. */
  paused: boolean;
  /** Why the last survey went on without it. */
  trouble: string | null;
  counts: Record<string, number>;
}

/** How far the last survey is read after a start. */
export interface Reading {
  rows: number;
  /** Of so many, where that is known. */
  of: number | null;
}
