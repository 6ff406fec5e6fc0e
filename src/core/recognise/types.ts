/**
 * What a data type is. A type brings its shape and its judgement of one candidate; the engine
 * (engine.ts) finds candidates, adds what the surroundings say, counts and masks.
 */
import { PARTS, type Part } from '../model.ts';

/** One reason for a match's certainty, in points; what a person reads. */
export interface Reason {
  why: string;
  points: number;
}

/** What a type makes of a candidate it accepts. */
export interface Judgement {
  /** The value in the one spelling in which distinct values are counted. Never leaves the engine. */
  normalised: string;
  /** The value with enough left out that it cannot be told. */
  masked: string;
  reasons: Reason[];
  /** Where the value is longer or shorter than the candidate: its length. */
  length?: number;
  /** Characters of the candidate before the value. */
  skips?: number;
}

export interface DataType {
  id: string;
  name: string;
  /** How sensitive one such value is, 1–4 (docs/exposure.md). */
  weight: 1 | 2 | 3 | 4;
  /** ISO 3166-1 alpha-2, where it belongs to one country. */
  country?: string;
  /** The standard or practice it comes from. */
  source: string;
  /**
   * Sticky patterns of a candidate, tried in order until one is accepted. Linear time is kept by
   * form: each is tried only where `start` says, and all its repeats are bounded (`assertBounded`).
   */
  patterns: readonly RegExp[];
  start: Start;
  /** The longest candidate, in characters. */
  longest: number;
  /**
   * Judges a candidate of one of the patterns, given up to `longest` characters after it; undefined
   * where it is none.
   */
  judge(candidate: string, following: string, pattern: number): Judgement | undefined;
  /** It is none without one of its words before it, or over it: its shape says too little. */
  needsContext?: boolean;
  /** Points of the first word near; 15 where absent. */
  contextPoints?: number;
  /** Words that make it likelier, by language (ISO 639-1); lower case. */
  context: Record<string, readonly string[]>;
  /** Words that speak for something else that looks alike; lower case. */
  otherwise: readonly string[];
  /** Normalised values that are published as examples. */
  examples: ReadonlySet<string>;
  /** File names that tell by themselves, where nothing is found inside. */
  fileName?: { pattern: RegExp; reason: Reason; masked: string };
}

/** Where a candidate may start: at the beginning of a word, unless said. */
export interface Start {
  /**
   * The word begins with a digit or a capital, and what follows has the shape of one of these (of the
   * type's patterns where absent): digits, capitals, small letters and what stands between them, of
   * which digits and letters count by their kind alone. Up to 24 characters; of a word after a space
   * one letter.
   */
  shapes?: readonly RegExp[] | true;
  /** The word begins with one of these, in any case. */
  words?: readonly string[];
  /** At the first of some dashes, at a plus sign, or with the word that an at sign stands behind. */
  sign?: '-' | '+' | '@';
  /** Some small words of a list, one after another, each a space from the next: so many at least. */
  chain?: { least: number; of: readonly string[] };
}

/** Where a match stands that was found in a file’s name. */
export const IN_NAME = 'file name';

export interface Match {
  part: Part;
  /** Offsets into the part, in UTF-16 code units; end is exclusive. */
  start: number;
  end: number;
  masked: string;
  /** Where in the document, where that is worth telling: “hidden sheet Pay”, “page 3”. */
  where?: string;
  /** 0–100: the sum of the reasons, held to that range. */
  certainty: number;
  reasons: Reason[];
}

export type Level = [certainty: number, occurrences: number, distinct: number];

/** Where matches stand in a document: occurrences by part and certainty, and values by the surest match in each part. */
export interface InParts {
  occurrences: [part: Part, certainty: number, occurrences: number][];
  values: [surest: Partial<Record<Part, number>>, distinct: number][];
}

/** What was found of one data type in one document. */
export interface Found {
  dataType: string;
  /** Different values after normalising. */
  distinct: number;
  occurrences: number;
  /** The highest of its matches. */
  certainty: number;
  /**
   * By certainty, the highest first: occurrences that have it, and distinct values whose surest has it.
   * So it can be told what is left at any certainty asked for.
   */
  levels: Level[];
  /** Absent where all of it stands in the body. */
  inParts?: InParts;
  /** Up to the scanner's limit, in order of part and offset. */
  matches: Match[];
  /** Keyed hashes of the distinct values, up to the scanner's limit, sorted. */
  hashes: string[];
}

/** Throws where a pattern is not sticky or has a repeat without an upper limit. */
export function assertBounded(pattern: RegExp): void {
  const source = pattern.source.replace(/\\./g, '_').replace(/\[[^\]]*\]/g, '_');
  if (/[*+]|\{\d+,\}/.test(source) || !pattern.sticky)
    throw new Error(`The pattern ${String(pattern)} is not bounded: every repeat needs an upper limit.`);
}

/** Occurrences and distinct values at a certainty or above. */
export function atLeast(
  levels: readonly Level[],
  certainty: number,
): { occurrences: number; distinct: number } {
  const sum = { occurrences: 0, distinct: 0 };
  for (const [level, occurrences, distinct] of levels)
    if (level >= certainty) {
      sum.occurrences += occurrences;
      sum.distinct += distinct;
    }
  return sum;
}

/** The same in some parts of a document alone. */
export function atLeastIn(
  { levels, inParts }: Pick<Found, 'levels' | 'inParts'>,
  certainty: number,
  parts: readonly Part[],
): { occurrences: number; distinct: number } {
  if (!inParts) return parts.includes('body') ? atLeast(levels, certainty) : { occurrences: 0, distinct: 0 };
  const sum = { occurrences: 0, distinct: 0 };
  for (const [part, level, n] of inParts.occurrences)
    if (level >= certainty && parts.includes(part)) sum.occurrences += n;
  for (const [surest, n] of inParts.values)
    if (parts.some((p) => (surest[p] ?? -1) >= certainty)) sum.distinct += n;
  return sum;
}

/** Counts where matches stand; costs nothing as long as all are in the body. */
export class PartsCount {
  private occurrences: Map<Part, Map<number, number>> | undefined;
  private readonly values = new Map<string, Partial<Record<Part, number>>>();

  /** `before`: occurrences by certainty and values with their surest, of all that was met before this match. */
  add(
    part: Part,
    value: string,
    certainty: number,
    before: { levels: ReadonlyMap<number, number>; seen: ReadonlyMap<string, number> },
  ): void {
    if (!this.occurrences) {
      if (part === 'body') return;
      this.occurrences = new Map([['body', new Map(before.levels)]]);
      for (const [v, surest] of before.seen) this.values.set(v, { body: surest });
    }
    const counts = this.occurrences.get(part) ?? new Map<number, number>();
    this.occurrences.set(part, counts);
    counts.set(certainty, (counts.get(certainty) ?? 0) + 1);
    const surest = this.values.get(value) ?? {};
    this.values.set(value, surest);
    surest[part] = Math.max(surest[part] ?? 0, certainty);
  }

  /** Undefined where all stands in the body. `shift`: what is said of all matches together, in points of certainty. */
  done(shift = 0): InParts | undefined {
    if (!this.occurrences) return undefined;
    const to = (certainty: number): number => Math.max(0, certainty + shift);
    const values = new Map<string, [Partial<Record<Part, number>>, number]>();
    for (const surest of this.values.values()) {
      const shifted = Object.fromEntries(
        PARTS.flatMap((p) => (surest[p] === undefined ? [] : [[p, to(surest[p])]])),
      ) as Partial<Record<Part, number>>;
      const key = JSON.stringify(shifted);
      values.set(key, [shifted, (values.get(key)?.[1] ?? 0) + 1]);
    }
    return {
      occurrences: PARTS.flatMap((part) =>
        [...(this.occurrences!.get(part) ?? [])]
          .sort(([a], [b]) => b - a)
          .map(([c, n]): InParts['occurrences'][number] => [part, to(c), n]),
      ),
      values: [...values.values()],
    };
  }
}

/** As a part of what was found. */
export const inParts = (of: InParts | undefined): Pick<Found, 'inParts'> => (of ? { inParts: of } : {});

/** Levels of occurrences by certainty, and of values by their surest. */
export function levelsOf(occurrences: ReadonlyMap<number, number>, values: Iterable<number>): Level[] {
  const levels = new Map<number, Level>([...occurrences].map(([c, n]) => [c, [c, n, 0]]));
  for (const c of values) {
    const level = levels.get(c) ?? [c, 0, 0];
    level[2]++;
    levels.set(c, level);
  }
  return [...levels.values()].sort((a, b) => b[0] - a[0]);
}
