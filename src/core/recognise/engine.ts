/**
 * The recogniser: one pass over the text finds places where a candidate may start; each type's
 * bounded pattern is tried there; accepted candidates get their certainty from the type's own
 * reasons and from the words around them. Time is linear in the text for every input.
 *
 * Text may come in pieces of any size: the scanner keeps only as much as a candidate and its
 * surroundings need. Raw values stay inside: what comes out is masked or hashed.
 */
import type { Part } from '../model.ts';
import { assertBounded, START, type DataType, type Found, type Match, type Reason } from './types.ts';

/** Characters before and after a candidate in which words are looked for. */
const WINDOW = 80;
const BASE = { context: 15, near: 5, otherwise: -30, example: -25, sequence: -40, run: -40 };

export interface ScanOptions {
  types: readonly DataType[];
  /** Keyed hash of a data type and normalised value; its key never leaves the caller. */
  hash(dataType: string, normalised: string): string;
  /** Matches below this certainty are not counted at all. Default 0. */
  minCertainty?: number;
  /** Matches and hashes kept per data type; all are counted. Default 200. */
  keep?: number;
}

interface Tally {
  /** Distinct normalised values by keyed hash. */
  seen: Set<string>;
  occurrences: number;
  certainty: number;
  matches: Match[];
}

/** Start classes by character code below 128; everything above starts nothing. */
const CLASS = new Uint8Array(128);
for (let c = 0; c < 128; c++) {
  if (c >= 48 && c <= 57) CLASS[c] = START.digit;
  else if (c >= 65 && c <= 90) CLASS[c] = START.upper;
  else if (c >= 97 && c <= 122) CLASS[c] = START.lower;
  else if (c === 45) CLASS[c] = START.dash;
}

const classAt = (text: string, i: number): number => CLASS[text.charCodeAt(i)] ?? 0;
const ALNUM = START.digit | START.upper | START.lower;
/** Letters beyond ASCII join words too. */
const isWord = (text: string, i: number): boolean => {
  const code = text.charCodeAt(i);
  return code < 128 ? (CLASS[code]! & ALNUM) > 0 : code > 191;
};

/** A type's words as patterns, made once for all documents. */
const wordPatterns = new WeakMap<DataType, { context: RegExp; otherwise: RegExp }>();
function wordsOf(type: DataType): { context: RegExp; otherwise: RegExp } {
  let words = wordPatterns.get(type);
  if (!words) {
    type.patterns.forEach(assertBounded);
    words = {
      context: wordPattern(Object.values(type.context).flat()),
      otherwise: wordPattern(type.otherwise),
    };
    wordPatterns.set(type, words);
  }
  return words;
}

/** Scans one document, part by part. */
export class Scanner {
  private readonly tallies = new Map<string, Tally>();
  private readonly byClass: DataType[][] = [];
  private readonly longest: number;
  private part: Part = 'body';
  private name = '';
  /** The body is PEM text (RFC 7468), so that its labels say what it holds and its name does not. */
  private isPem = false;
  private buffer = '';
  /** Offset of the buffer's first character in the part. */
  private offset = 0;
  /** Next place in the buffer to try. */
  private at = 0;
  /** End of the last match of each type, in the part: a value is not matched inside itself. */
  private readonly lastEnd = new Map<DataType, number>();

  constructor(private readonly options: ScanOptions) {
    this.longest = Math.max(...options.types.map((t) => t.longest));
    for (const type of options.types) {
      wordsOf(type);
      for (const bit of Object.values(START)) if (type.start & bit) (this.byClass[bit] ??= []).push(type);
    }
  }

  /** Begins a part; what was fed before is finished. */
  begin(part: Part): void {
    this.flush(true);
    this.part = part;
    this.buffer = '';
    this.offset = this.at = 0;
    this.lastEnd.clear();
  }

  /** More text of the part. */
  feed(text: string): void {
    if (this.part === 'body' && this.offset + this.buffer.length === 0)
      this.isPem = text.startsWith('-----BEGIN ');
    this.buffer += text;
    this.flush(false);
  }

  /** A file's name: scanned as a title, and asked of the types that know files by name. */
  fileName(name: string): void {
    this.begin('title');
    this.feed(name);
    this.flush(true);
    this.name = name;
  }

  /** Nothing was met so far that would be lost with this scanner. */
  get idle(): boolean {
    this.flush(true);
    return this.tallies.size === 0 && !this.isPem;
  }

  /** Everything found, by data type in the order of the types; types without a match are left out. */
  finish(): Found[] {
    this.begin('body');
    return this.options.types.flatMap((type) => {
      if (!this.isPem && !this.tallies.has(type.id) && type.fileName?.pattern.test(this.name))
        this.add(type, `name:${this.name}`, {
          part: 'title',
          start: 0,
          end: this.name.length,
          masked: type.fileName.masked,
          ...sum([type.fileName.reason]),
        });
      const tally = this.tallies.get(type.id);
      if (!tally) return [];
      return {
        dataType: type.id,
        distinct: tally.seen.size,
        occurrences: tally.occurrences,
        certainty: tally.certainty,
        matches: tally.matches,
        hashes: [...tally.seen].sort().slice(0, this.keep),
      };
    });
  }

  private get keep(): number {
    return this.options.keep ?? 200;
  }

  private flush(final: boolean): void {
    const { buffer } = this;
    const end = final ? buffer.length : buffer.length - this.longest - WINDOW;
    let i = this.at;
    for (; i < end; i++) {
      const cls = classAt(buffer, i);
      if (cls === 0) continue;
      const types = this.byClass[cls];
      if (!types) continue;
      // a candidate starts where a word starts; a dash, where a line of dashes starts
      if (i > 0 && (cls === START.dash ? buffer.charCodeAt(i - 1) === 45 : isWord(buffer, i - 1))) continue;
      for (const type of types) this.attempt(type, i);
    }
    this.at = Math.max(i, this.at);
    const drop = Math.max(0, this.at - WINDOW);
    if (drop > 1 << 16 || final) {
      this.buffer = buffer.slice(drop);
      this.offset += drop;
      this.at -= drop;
    }
  }

  private attempt(type: DataType, i: number): void {
    const { buffer } = this;
    if ((this.lastEnd.get(type) ?? 0) > this.offset + i) return;
    for (const pattern of type.patterns) {
      pattern.lastIndex = i;
      const candidate = pattern.exec(buffer)?.[0];
      if (candidate === undefined) continue;
      const after = i + candidate.length;
      const judgement = type.judge(candidate, buffer.slice(after, after + type.longest));
      if (!judgement) continue;
      const end = i + (judgement.length ?? candidate.length);
      if (isWord(buffer, end - 1) && end < buffer.length && isWord(buffer, end)) continue;
      const reasons = judgement.reasons.concat(this.surroundings(type, judgement.normalised, i, end));
      this.lastEnd.set(type, this.offset + end);
      this.add(type, judgement.normalised, {
        part: this.part,
        start: this.offset + i,
        end: this.offset + end,
        masked: judgement.masked,
        ...sum(reasons),
      });
      return;
    }
  }

  private add(type: DataType, normalised: string, match: Match): void {
    if (match.certainty < (this.options.minCertainty ?? 0)) return;
    let tally = this.tallies.get(type.id);
    if (!tally)
      this.tallies.set(type.id, (tally = { seen: new Set(), occurrences: 0, certainty: 0, matches: [] }));
    tally.seen.add(this.options.hash(type.id, normalised));
    tally.occurrences++;
    tally.certainty = Math.max(tally.certainty, match.certainty);
    if (tally.matches.length < this.keep) tally.matches.push(match);
  }

  /** What the words and characters around a candidate say. */
  private surroundings(type: DataType, normalised: string, start: number, end: number): Reason[] {
    const { buffer } = this;
    const reasons: Reason[] = [];
    const around =
      `${buffer.slice(Math.max(0, start - WINDOW), start)}\n${buffer.slice(end, end + WINDOW)}`.toLowerCase();
    const words = wordsOf(type);
    const said = [...new Set(around.match(words.context) ?? [])];
    if (said.length) {
      reasons.push({ why: `the word “${said[0]}” is near`, points: BASE.context });
      if (said.length > 1) reasons.push({ why: `so is “${said[1]}”`, points: BASE.near });
    } else {
      const other = around.match(words.otherwise);
      if (other) reasons.push({ why: `“${other[0]}” speaks for something else`, points: BASE.otherwise });
    }
    if (type.examples.has(normalised))
      reasons.push({ why: 'it is a published example', points: BASE.example });
    if (isSequence(normalised))
      reasons.push({ why: 'it is one digit repeated or a plain sequence', points: BASE.sequence });
    if (type.start & START.digit) {
      const before = buffer.slice(Math.max(0, start - 5), start);
      const after = buffer.slice(end, end + 5);
      const grouped = /\D/.test(buffer.slice(start, end));
      if (grouped && (/^[ .-]\d{4}/.test(after) || /\d{4}[ .-]$/.test(before)))
        reasons.push({ why: 'more groups of digits run on beside it', points: BASE.run });
      else if (/\d[.,]$/.test(before) || /^[.]\d/.test(after))
        reasons.push({ why: 'it reads as part of a decimal number', points: BASE.run });
    }
    return reasons;
  }
}

/** Certainty as the sum of its reasons, held between 0 and 100. */
function sum(reasons: Reason[]): { certainty: number; reasons: Reason[] } {
  const total = reasons.reduce((points, r) => points + r.points, 0);
  return { certainty: Math.max(0, Math.min(100, total)), reasons };
}

/** Whole words, in any script; matches nothing where there are none. */
function wordPattern(words: readonly string[]): RegExp {
  if (words.length === 0) return /(?!)/g;
  const escaped = words
    .map((w) => w.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
    .sort((a, b) => b.length - a.length);
  return new RegExp(`(?<![\\p{L}\\p{N}])(?:${escaped.join('|')})(?![\\p{L}\\p{N}])`, 'gu');
}

/** One digit repeated, or each digit one more or one less than the last, through all but the check digit. */
export function isSequence(digits: string): boolean {
  if (!/^\d{9,}$/.test(digits)) return false;
  const step = digits.charCodeAt(1) - digits.charCodeAt(0);
  if (Math.abs(step) > 1) return false;
  for (let i = 1; i < digits.length - 1; i++)
    if ((digits.charCodeAt(i) - digits.charCodeAt(i - 1) - step) % 10 !== 0) return false;
  return true;
}
