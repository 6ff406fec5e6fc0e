/** What a survey is to do. */
import type { Recogniser } from '../scan/pool.ts';

export interface SurveySource {
  id: string;
  kind: 'directory' | 'drives' | 'sites' | 'channels' | 'extract';
  /** Of an extract: the directory or zip it was put into. */
  url: string;
  token: string;
}
export interface SurveyOrder {
  survey: number;
  /** The job that does it, whose steps are kept. */
  job: number;
  kind: 'full' | 'incremental';
  by: string;
  sources: SurveySource[];
  /** Sources may be on this machine and its own network, and without TLS. */
  localSources: boolean;
  /** Where an incremental survey of a source begins. */
  changeTokens: Record<string, string>;
  /** Key of the hashes by which distinct values are told apart. */
  hashKey: string;
  recogniser: Recogniser;
  /** Files that were reached from outside the last time, by source: they are scanned first. */
  first: Record<string, string[]>;
  /** By how many milliseconds the application's clock is off. */
  clockOffset: number;
}
