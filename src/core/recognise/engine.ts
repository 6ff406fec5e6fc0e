/**
 * The recogniser: one pass over the text finds places where a candidate may start; each type's
 * bounded pattern is tried there; accepted candidates get their certainty from the type's own
 * reasons and from the words around them. Time is linear in the text for every input.
 *
 * Text may come in pieces of any size: the scanner keeps only as much as a candidate and its
 * surroundings need. Raw values stay inside: what comes out is masked or hashed.
 */
import type { Part } from '../model.ts';
import { assertBounded, type DataType, type Found, type Match, type Reason } from './types.ts';

/** Characters before and after a candidate in which words are looked for. */
const WINDOW = 80;
/** From here on a match is sure enough to own its characters. */
const SURE = 55;
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

const DIGIT = 1;
const UPPER = 2;
const LOWER = 3;
const DASH = 4;
const AT = 5;
/** Classes by character code below 128. */
const CLASS = new Uint8Array(128);
for (let c = 0; c < 128; c++) {
  if (c >= 48 && c <= 57) CLASS[c] = DIGIT;
  else if (c >= 65 && c <= 90) CLASS[c] = UPPER;
  else if (c >= 97 && c <= 122) CLASS[c] = LOWER;
}
CLASS[45] = DASH;
CLASS[64] = AT;
const NUMBER_OF = { digit: DIGIT, upper: UPPER, lower: LOWER, other: 0 } as const;

const ANY = ['digit', 'upper', 'lower', 'other'] as const;

/** Letters beyond ASCII join words too. */
const joinsWord = (code: number): boolean =>
  code < 128 ? CLASS[code]! - 1 < LOWER && CLASS[code] !== 0 : code > 191;
const isDigit = (text: string, i: number): boolean => CLASS[text.charCodeAt(i)] === DIGIT;
const isWord = (text: string, i: number): boolean => joinsWord(text.charCodeAt(i));

/** Runs longer than this are of this length. */
const LONGEST_RUN = 31;
/** Place in the table of what may start with a run of a class and length, before a class. */
const place = (of: number, length: number, next: number): number =>
  ((of << 5) | Math.min(length, LONGEST_RUN)) * 4 + next;
/** Place of three letters in any case. */
const letters = (a: number, b: number, c: number): number => ((a & 31) << 10) | ((b & 31) << 5) | (c & 31);

/** A word or words that say something for or against some types. */
interface Phrase {
  text: string;
  context: Set<DataType>;
  otherwise: Set<DataType>;
}

/** Everything that is the same for all documents scanned for the same types. */
interface Prepared {
  longest: number;
  runs: (DataType[] | undefined)[];
  words: (DataType[] | undefined)[];
  dash: DataType[];
  at: DataType[];
  /** Phrases by their first word; those of scripts without spaces apart. */
  phrases: Map<string, Phrase[]>;
  unspaced: Phrase[];
}
const UNSPACED = /[\u0e00-\u0e7f\u2e80-\u9fff\uac00-\ud7af]/;
const WORD = /[\p{L}\p{N}]+/gu;

const preparations = new WeakMap<readonly DataType[], Prepared>();
function prepare(types: readonly DataType[]): Prepared {
  const known = preparations.get(types);
  if (known) return known;
  const p: Prepared = {
    longest: Math.max(0, ...types.map((t) => t.longest)),
    runs: [],
    words: [],
    dash: types.filter((t) => t.start.sign === '-'),
    at: types.filter((t) => t.start.sign === '@'),
    phrases: new Map(),
    unspaced: [],
  };
  const phrases = new Map<string, Phrase>();
  for (const type of types) {
    type.patterns.forEach(assertBounded);
    for (const { of, length, next = ANY } of type.start.runs ?? []) {
      const [least, most] = typeof length === 'number' ? [length, length] : length;
      for (let n = least; n <= most; n++)
        for (const k of next) {
          const list = (p.runs[place(NUMBER_OF[of], n, NUMBER_OF[k])] ??= []);
          if (!list.includes(type)) list.push(type);
        }
    }
    for (const word of type.start.words ?? []) {
      const list = (p.words[letters(word.charCodeAt(0), word.charCodeAt(1), word.charCodeAt(2))] ??= []);
      if (!list.includes(type)) list.push(type);
    }
    for (const [side, words] of [
      ['context', Object.values(type.context).flat()],
      ['otherwise', type.otherwise],
    ] as const)
      for (const text of words) {
        let phrase = phrases.get(text);
        if (!phrase) phrases.set(text, (phrase = { text, context: new Set(), otherwise: new Set() }));
        phrase[side].add(type);
      }
  }
  for (const phrase of phrases.values()) {
    if (UNSPACED.test(phrase.text)) p.unspaced.push(phrase);
    else {
      const first = /[\p{L}\p{N}]+/u.exec(phrase.text)![0];
      const list = p.phrases.get(first) ?? [];
      p.phrases.set(
        first,
        [...list, phrase].sort((a, b) => b.text.length - a.text.length),
      );
    }
  }
  preparations.set(types, p);
  return p;
}

/** Scans one document, part by part. */
export class Scanner {
  private readonly tallies = new Map<string, Tally>();
  private readonly p: Prepared;
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

  /** The last match that is sure: what begins inside it is a part of it. */
  private covered = { from: -1, to: -1 };
  /** Phrases met, by where they begin in the part; and how far they have been looked for. */
  private phrases: { at: number; end: number; phrase: Phrase }[] = [];
  private lookedTo = 0;
  /** What the heading over this text says of types. */
  private heading: { text: string; phrases: Phrase[] } = { text: '', phrases: [] };

  constructor(private readonly options: ScanOptions) {
    this.p = prepare(options.types);
  }

  /** Begins a part; what was fed before is finished. */
  begin(part: Part): void {
    this.flush(true);
    this.part = part;
    this.buffer = '';
    this.offset = this.at = this.lookedTo = 0;
    this.lastEnd.clear();
    this.covered = { from: -1, to: -1 };
    this.phrases = [];
    this.headed('');
  }

  /** What follows stands under a heading (of a column, say), until another or the part’s end. */
  headed(text: string): void {
    if (text === this.heading.text) return;
    this.flush(true);
    const phrases: Phrase[] = [];
    this.findPhrases(text.toLowerCase(), (_, __, phrase) => phrases.push(phrase));
    this.heading = { text, phrases };
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
    const { buffer, p } = this;
    const end = final ? buffer.length : buffer.length - p.longest - WINDOW;
    let i = this.at;
    // a word that began before is not begun again
    if (i > 0 && i < end && isWord(buffer, i - 1)) while (i < buffer.length && isWord(buffer, i)) i++;
    while (i < end) {
      const code = buffer.charCodeAt(i);
      const of = code < 128 ? CLASS[code]! : 0;
      if (of === 0 || of > LOWER) {
        if (of === DASH) {
          if (i === 0 || buffer.charCodeAt(i - 1) !== 45) for (const type of p.dash) this.attempt(type, i);
        } else if (of === AT) this.attemptAt(i);
        else if (code > 191) {
          i++;
          while (i < buffer.length && isWord(buffer, i)) i++;
          continue;
        }
        i++;
        continue;
      }
      let j = i + 1;
      while (j < buffer.length && CLASS[buffer.charCodeAt(j)] === of) j++;
      const after = j < buffer.length ? buffer.charCodeAt(j) : 0;
      const next = after < 128 && CLASS[after]! <= LOWER ? CLASS[after]! : 0;
      const types = p.runs[place(of, j - i, next)];
      if (types) for (let t = 0; t < types.length; t++) this.attempt(types[t]!, i);
      if (of !== DIGIT && i + 2 < buffer.length) {
        const led = p.words[letters(code, buffer.charCodeAt(i + 1), buffer.charCodeAt(i + 2))];
        if (led) for (let t = 0; t < led.length; t++) this.attempt(led[t]!, i);
      }
      while (j < buffer.length && isWord(buffer, j)) j++;
      i = j;
    }
    this.at = Math.max(i, this.at);
    const drop = Math.max(0, this.at - WINDOW);
    if (drop > 1 << 16 || final) {
      this.buffer = buffer.slice(drop);
      this.offset += drop;
      this.at -= drop;
    }
  }

  /** Tries the types that an at sign gives away, from where what stands before it begins. */
  private attemptAt(i: number): void {
    let from = i;
    while (from > 0 && i - from < 64 && /[\w.%+-]/.test(this.buffer[from - 1]!)) from--;
    while (from < i && !/\w/.test(this.buffer[from]!)) from++;
    if (from < i) for (const type of this.p.at) this.attempt(type, from);
  }

  private attempt(type: DataType, i: number): void {
    const { buffer } = this;
    const at = this.offset + i;
    if ((this.lastEnd.get(type) ?? 0) > at || (at > this.covered.from && at < this.covered.to)) return;
    for (let k = 0; k < type.patterns.length; k++) {
      const pattern = type.patterns[k]!;
      pattern.lastIndex = i;
      if (!pattern.test(buffer)) continue;
      const after = pattern.lastIndex;
      const candidate = buffer.slice(i, after);
      const judgement = type.judge(
        candidate,
        buffer.slice(after, after + type.longest),
        k,
        buffer.slice(Math.max(0, i - 2), i),
      );
      if (!judgement) continue;
      const end = i + (judgement.length ?? candidate.length);
      if (isWord(buffer, end - 1) && end < buffer.length && isWord(buffer, end)) continue;
      const around = this.surroundings(type, judgement.normalised, i, end);
      if (!around) continue;
      const reasons = judgement.reasons.concat(around);
      const summed = sum(reasons);
      if (summed.certainty === 0) continue;
      this.lastEnd.set(type, this.offset + end);
      if (summed.certainty >= SURE && this.offset + end > this.covered.to)
        this.covered = { from: at, to: this.offset + end };
      this.add(type, judgement.normalised, {
        part: this.part,
        start: this.offset + i,
        end: this.offset + end,
        masked: judgement.masked,
        ...summed,
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

  /** Calls `visit` with each phrase in a text in small letters and where it begins and ends there. */
  private findPhrases(text: string, visit: (from: number, to: number, phrase: Phrase) => void): void {
    const { phrases, unspaced } = this.p;
    WORD.lastIndex = 0;
    for (let m = WORD.exec(text); m; m = WORD.exec(text)) {
      const [word] = m;
      for (const phrase of phrases.get(word) ?? []) {
        const to = m.index + phrase.text.length;
        if (text.startsWith(phrase.text, m.index) && !(to < text.length && joinsWord(text.charCodeAt(to))))
          visit(m.index, to, phrase);
      }
      if (word.charCodeAt(0) > 0xdff && UNSPACED.test(word))
        for (const phrase of unspaced) {
          const at = word.indexOf(phrase.text);
          if (at >= 0) visit(m.index + at, m.index + at + phrase.text.length, phrase);
        }
    }
  }

  /** Looks for phrases as far as one place of the part; each stretch of text is gone through once. */
  private lookTo(to: number): void {
    if (to <= this.lookedTo) return;
    const { buffer, offset } = this;
    let from = Math.max(this.lookedTo, offset + this.at - WINDOW, offset) - offset;
    // phrases lie within one stretch: it begins a phrase's length before and ends after a whole word
    while (from > 0 && isWord(buffer, from - 1)) from--;
    let end = Math.min(buffer.length, to - offset + WINDOW);
    while (end < buffer.length && isWord(buffer, end) && end < to - offset + 2 * WINDOW) end++;
    const back = Math.max(0, from - 40);
    const text = buffer.slice(back, end).toLowerCase();
    // a letter whose small form is longer moves what comes after it by that much: near enough
    const seen = new Set(this.phrases.map((x) => `${x.at} ${x.phrase.text}`));
    this.findPhrases(text, (a, b, phrase) => {
      const at = offset + back + a;
      if (!seen.has(`${at} ${phrase.text}`)) this.phrases.push({ at, end: offset + back + b, phrase });
    });
    const keepFrom = offset + this.at - 2 * WINDOW;
    this.phrases = this.phrases.filter((x) => x.end >= keepFrom).sort((a, b) => a.at - b.at);
    this.lookedTo = offset + end;
  }

  /** What the words and characters around a candidate say; undefined where they leave it nothing. */
  private surroundings(type: DataType, normalised: string, start: number, end: number): Reason[] | undefined {
    const { buffer, offset } = this;
    const reasons: Reason[] = [];
    this.lookTo(offset + Math.min(buffer.length, end + WINDOW));
    const said: string[] = [];
    let other: string | undefined;
    for (const { at, end: to, phrase } of this.phrases) {
      const before = to <= offset + start && to > offset + start - WINDOW;
      const after = at >= offset + end && at < offset + end + WINDOW;
      if (!before && !after) continue;
      if (phrase.context.has(type)) {
        if (!said.some((x) => x.includes(phrase.text))) said.push(phrase.text);
      } else if (phrase.otherwise.has(type)) other ??= phrase.text;
    }
    const headed = this.heading.phrases.find((x) => x.context.has(type));
    if (headed)
      reasons.push({ why: `it stands under “${headed.text}”`, points: type.contextPoints ?? BASE.context });
    else if (said.length)
      reasons.push({ why: `the word “${said[0]}” is near`, points: type.contextPoints ?? BASE.context });
    else {
      if (type.needsContext) return undefined;
      const against = this.heading.phrases.find((x) => x.otherwise.has(type));
      if (against) reasons.push({ why: `it stands under “${against.text}”`, points: BASE.otherwise });
      else if (other) reasons.push({ why: `“${other}” speaks for something else`, points: BASE.otherwise });
    }
    if (said.length > 1) reasons.push({ why: `so is “${said[1]}”`, points: BASE.near });
    if (type.examples.has(normalised))
      reasons.push({ why: 'it is a published example', points: BASE.example });
    if (isSequence(normalised))
      reasons.push({ why: 'it is one digit repeated or a plain sequence', points: BASE.sequence });
    if (isDigit(buffer, start)) {
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

/** One digit repeated, or each digit one more or one less than the last, through all but the check digit. */
export function isSequence(digits: string): boolean {
  if (!/^\d{9,}$/.test(digits)) return false;
  const step = digits.charCodeAt(1) - digits.charCodeAt(0);
  if (Math.abs(step) > 1) return false;
  for (let i = 1; i < digits.length - 1; i++)
    if ((digits.charCodeAt(i) - digits.charCodeAt(i - 1) - step) % 10 !== 0) return false;
  return true;
}
