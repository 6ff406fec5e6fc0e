/** Data types and the bench, as the interface knows them. */
import type { Part } from '../core/model.ts';
import type { CustomType } from '../core/recognise/custom.ts';
import type { Preset, Suggestion } from '../core/recognise/threshold.ts';
import type { Level, Reason } from '../core/recognise/types.ts';
import type { FoundContent } from './contents.ts';

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
