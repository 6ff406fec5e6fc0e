/**
 * Data types that stewards make: patterns, word lists, what stands near what, under which heading,
 * and combinations. Whatever is written, the time to run it is linear in the text.
 */
import { RE2JS } from 're2js';
import type { Part } from '../model.ts';
import { luhn, mod97of, verhoeff } from './types/checks.ts';
import {
  inParts,
  levelsOf,
  PartsCount,
  type Found,
  type InParts,
  type Level,
  type Match,
  type Reason,
} from './types.ts';
import { folded, WordList } from './word-list.ts';

/** Checks that a pattern's matches may have to pass; each on its letters and digits. */
export const CHECKS: Record<CheckName, { what: string; holds: (value: string) => boolean }> = {
  luhn: { what: 'ISO/IEC 7812-1 (Luhn)', holds: (v) => /^\d+$/.test(v) && luhn(v) },
  'mod-97-10': { what: 'ISO/IEC 7064, MOD 97-10', holds: (v) => mod97of(v) === 1 },
  verhoeff: { what: 'Verhoeff, 1969', holds: (v) => /^\d+$/.test(v) && verhoeff(v) },
};
export type CheckName = 'luhn' | 'mod-97-10' | 'verhoeff';

/** What a document is asked. Every kind may ask for so many distinct values or occurrences; 1 where absent. */
export type Condition = { distinct?: number; occurrences?: number } & (
  | { pattern: string; ignoreCase?: boolean; check?: CheckName; under?: string[] }
  | { words: string[]; matchCase?: boolean; partsOfWords?: boolean; under?: string[] }
  /** One of the other data types, at a certainty. */
  | { type: string; certainty?: number }
  /** Any document, a blank one too. */
  | { everything: true }
  | { all: Condition[] }
  | { any: Condition[] }
  | { atLeast: number; of: Condition[] }
  /** Matches of the one that have a match of the other within so many characters, in the same part. */
  | { find: Condition; near: Condition; within: number }
);

export interface CustomType {
  id: string;
  name: string;
  weight: 1 | 2 | 3 | 4;
  /** What a match of its condition alone is worth, 1–100. */
  certainty: number;
  match: Condition;
  /** Words that make a match likelier when near. */
  context: string[];
  /** What must match and what must not; kept with it and run when it changes. */
  cases: { text: string; matches: boolean }[];
}

/** A custom type that cannot be run, with the reason in words. */
export class CustomTypeError extends Error {}

/** A match is told up to this length; what is longer counts as one of this length. */
const LONGEST = 1000;
/** As much text is held before it is gone through, and as much is kept for what may yet come. */
const HOLD = 1 << 16;
const KEPT = 2 * LONGEST;
const WINDOW = 80;
const PROGRAM = 20_000;
/** Places kept per condition for what stands near what. */
const PLACES = 2000;
/** Distinct values are counted so far. */
const DISTINCT = 100_000;
const WORDS_IN_ALL = 200_000;

type Leaf = (
  | { kind: 'pattern'; re: RE2JS; check?: CheckName }
  | { kind: 'words'; list: WordList; matchCase: boolean; whole: boolean }
) & { under: string[] };

/** A type made ready. One text is gone through at a time. */
export interface CompiledCustom {
  type: CustomType;
  leaves: Map<Condition, Leaf>;
  context: WordList;
  /** Other data types that it asks about. */
  needs: Set<string>;
}

/** Patterns of one type: each is tried at every place of a text, and takes its time to be made ready. */
const MOST_PATTERNS = 200;

/** Makes a custom type ready. Throws `CustomTypeError` where it cannot be run. `known`: ids of data types it may ask about. */
export function compileCustom(type: CustomType, known: (id: string) => boolean): CompiledCustom {
  const out: CompiledCustom = {
    type,
    leaves: new Map(),
    context: new WordList(type.context.map(folded)),
    needs: new Set(),
  };
  if (known(type.id))
    throw new CustomTypeError(`There is a data type “${type.id}” already that ships with Gate Lantern.`);
  let words = 0;
  let patterns = 0;
  const visit = (c: Condition, depth: number): void => {
    if (depth > 10) throw new CustomTypeError('Conditions lie more than ten deep in one another.');
    if ('pattern' in c && ++patterns > MOST_PATTERNS)
      throw new CustomTypeError(`It has more than ${MOST_PATTERNS} patterns. Put words into a list instead.`);
    if ('pattern' in c)
      out.leaves.set(c, {
        kind: 'pattern',
        re: compilePattern(c.pattern, c.ignoreCase === true),
        check: c.check,
        under: (c.under ?? []).map(folded),
      });
    else if ('words' in c) {
      words += c.words.length;
      if (words > WORDS_IN_ALL)
        throw new CustomTypeError(`Its lists hold more than ${WORDS_IN_ALL.toLocaleString('en')} words.`);
      const list = c.words.map((w) => w.normalize('NFC').trim()).filter(Boolean);
      if (list.some((w) => w.length > 200))
        throw new CustomTypeError('A word on its list is longer than 200 characters.');
      if (!list.length) throw new CustomTypeError('A list of words is empty.');
      out.leaves.set(c, {
        kind: 'words',
        list: new WordList(c.matchCase ? list : list.map(folded)),
        matchCase: c.matchCase === true,
        whole: c.partsOfWords !== true,
        under: (c.under ?? []).map(folded),
      });
    } else if ('type' in c) {
      if (!known(c.type)) throw new CustomTypeError(`There is no data type “${c.type}”.`);
      out.needs.add(c.type);
    } else if ('find' in c) {
      visit(c.find, depth + 1);
      visit(c.near, depth + 1);
    } else if (!('everything' in c)) {
      const inner = 'all' in c ? c.all : 'any' in c ? c.any : c.of;
      if (!inner.length) throw new CustomTypeError('A combination has nothing in it.');
      if ('of' in c && c.atLeast > inner.length)
        throw new CustomTypeError(`It asks for ${c.atLeast} of ${inner.length} conditions.`);
      inner.forEach((x) => visit(x, depth + 1));
    }
  };
  visit(type.match, 0);
  return out;
}

function compilePattern(pattern: string, ignoreCase: boolean): RE2JS {
  let re: RE2JS;
  try {
    re = RE2JS.compile(pattern, RE2JS.MULTILINE | (ignoreCase ? RE2JS.CASE_INSENSITIVE : 0));
  } catch (e) {
    throw new CustomTypeError(whyNot(pattern, e instanceof Error ? e.message : String(e)));
  }
  if (re.programSize() > PROGRAM)
    throw new CustomTypeError(
      'The pattern is too large: repeats within repeats multiply. Make the counts smaller.',
    );
  if (re.matches(''))
    throw new CustomTypeError(
      'The pattern matches even where there is nothing, so it would match everywhere.',
    );
  return re;
}

function whyNot(pattern: string, said: string): string {
  if (/\(\?<?[=!]/.test(pattern))
    return 'The pattern looks ahead or behind (“(?=”, “(?!”, “(?<=”, “(?<!”), which cannot be done in time that stays proportional to the text. Ask for words near it instead.';
  if (/\\[1-9]|\\k</.test(pattern))
    return 'The pattern refers back to what a group matched (“\\1”), which cannot be done in time that stays proportional to the text.';
  if (/invalid repeat count/.test(said))
    return 'A repeat in the pattern is larger than 1,000, by itself or within another.';
  return `The pattern cannot be read: ${said.replace(/^error parsing regexp: /, '')}.`;
}

interface Place {
  hash: string;
  match: Match;
}
/** What came of one condition. */
interface Outcome {
  places: Place[];
  hashes: Set<string>;
  distinct: number;
  occurrences: number;
}
const NONE: Outcome = { places: [], hashes: new Set(), distinct: 0, occurrences: 0 };

interface CustomOptions {
  hash(dataType: string, normalised: string): string;
  minCertainty: number;
  keep: number;
}

const isWordUnit = /[\p{L}\p{N}_]/u;
const joins = (text: string, i: number): boolean => i >= 0 && i < text.length && isWordUnit.test(text[i]!);

/** Goes through one document for all custom types. */
export class CustomScan {
  private readonly outcomes = new Map<Leaf, Outcome>();
  private part: Part = 'body';
  private heading = '';
  private where = '';
  private buffer = '';
  private small = '';
  private offset = 0;
  /** To here the buffer was gone through, by condition; patterns alone look back. */
  private readonly from = new Map<Leaf, number>();
  /** How far word lists are within a word. */
  private readonly states = new Map<Leaf, number>();

  constructor(
    private readonly types: readonly CompiledCustom[],
    private readonly options: CustomOptions,
  ) {
    this.begin('body');
  }

  begin(part: Part): void {
    this.flush(true);
    this.part = part;
    this.offset = 0;
    this.heading = this.where = '';
  }

  headed(heading: string): void {
    if (folded(heading) === this.heading) return;
    this.flush(true);
    this.heading = folded(heading);
  }

  place(where: string): void {
    if (where === this.where) return;
    this.flush(true);
    this.where = where;
  }

  feed(text: string): void {
    this.buffer += text;
    if (this.buffer.length > HOLD) this.flush(false);
  }

  /** Nothing was met so far. */
  get idle(): boolean {
    this.flush(true);
    return this.outcomes.size === 0;
  }

  /** What was found, given what the other data types found. */
  finish(others: ReadonlyMap<string, Found>): Found[] {
    this.flush(true);
    return this.types.flatMap(({ type, leaves }): Found[] => {
      const outcome = this.ask(type, leaves, type.match, others);
      if (!outcome.occurrences) return [];
      // a hash says of which type it is
      const matches = outcome.places
        .map((p) => p.match)
        .filter((m) => m.certainty >= this.options.minCertainty);
      if (!matches.length) return [];
      return [
        {
          dataType: type.id,
          distinct: outcome.distinct,
          occurrences: outcome.occurrences,
          certainty: matches.reduce((most, m) => Math.max(most, m.certainty), 0),
          levels: levelsIn(outcome),
          ...inParts(partsIn(outcome)),
          matches: matches.slice(0, this.options.keep),
          hashes: [...outcome.hashes].sort().slice(0, this.options.keep),
        },
      ];
    });
  }

  private flush(final: boolean): void {
    const { buffer } = this;
    const before = this.small.length;
    // folded by itself: what is folded does not change with what follows
    this.small += folded(buffer.slice(before));
    const to = final ? buffer.length : Math.max(0, buffer.length - KEPT);
    for (const compiled of this.types)
      for (const leaf of compiled.leaves.values())
        if (!leaf.under.length || leaf.under.some((w) => this.heading.includes(w)))
          this.goThrough(compiled, leaf, to, final);
    // words near are looked for behind; a word begins after a character that is none
    const drop = final ? buffer.length : Math.max(0, to - KEPT);
    this.buffer = buffer.slice(drop);
    this.small = this.small.slice(drop);
    this.offset = final ? this.offset + buffer.length : this.offset + drop;
    for (const [leaf, at] of this.from) this.from.set(leaf, Math.max(0, at - drop));
    if (final) this.states.clear();
  }

  private goThrough(compiled: CompiledCustom, leaf: Leaf, to: number, final: boolean): void {
    const { buffer, small } = this;
    let at = this.from.get(leaf) ?? 0;
    if (leaf.kind === 'pattern') {
      const matcher = leaf.re.matcher(buffer);
      while (at < to && matcher.find(at)) {
        const start = matcher.start();
        if (start >= to) break;
        const end = Math.min(matcher.end(), start + LONGEST);
        at = Math.max(end, start + 1);
        if (end === start) continue;
        const value = buffer.slice(start, end);
        const bare = value.replace(/[^\p{L}\p{N}]/gu, '').toUpperCase();
        const reasons: Reason[] = [
          { why: 'it has the shape of the pattern', points: compiled.type.certainty },
        ];
        if (leaf.check) {
          if (!CHECKS[leaf.check].holds(bare)) continue;
          reasons.push({ why: `its check holds: ${CHECKS[leaf.check].what}`, points: 30 });
        }
        this.note(compiled, leaf, start, end, bare || value, maskedValue(value), reasons);
      }
      this.from.set(leaf, Math.max(at, to));
      return;
    }
    // where a word ends must be seen to be its end: the last character waits
    const stop = final ? buffer.length : buffer.length - 1;
    const text = leaf.matchCase ? buffer : small;
    const state = leaf.list.feed(text.slice(0, stop), at, this.states.get(leaf) ?? 0, (end, length) => {
      const start = end - length;
      if (
        leaf.whole &&
        ((joins(text, start) && joins(text, start - 1)) || (joins(text, end - 1) && joins(text, end)))
      )
        return false;
      this.note(compiled, leaf, start, end, small.slice(start, end), `${text[start]}•••`, [
        { why: 'it is on the list', points: compiled.type.certainty },
      ]);
      return true;
    });
    this.states.set(leaf, state);
    this.from.set(leaf, Math.max(at, stop));
  }

  private note(
    { type, context }: CompiledCustom,
    leaf: Leaf,
    start: number,
    end: number,
    normalised: string,
    masked: string,
    reasons: Reason[],
  ): void {
    let outcome = this.outcomes.get(leaf);
    if (!outcome)
      this.outcomes.set(leaf, (outcome = { places: [], hashes: new Set(), distinct: 0, occurrences: 0 }));
    outcome.occurrences++;
    const hash = this.options.hash(type.id, normalised);
    if (outcome.hashes.size < DISTINCT) outcome.hashes.add(hash);
    outcome.distinct = outcome.hashes.size;
    if (outcome.places.length >= PLACES) return;
    if (leaf.under.length)
      reasons.push({ why: `it stands under “${this.heading.slice(0, 60)}”`, points: 20 });
    const near =
      this.small.slice(Math.max(0, start - WINDOW), start) + '\n' + this.small.slice(end, end + WINDOW);
    let word = '';
    context.feed(near, 0, 0, (to, length) => {
      if (!joins(near, to) && !joins(near, to - length - 1)) word ||= near.slice(to - length, to);
      return word !== '';
    });
    if (word) reasons.push({ why: `the word “${word}” is near`, points: 15 });
    outcome.places.push({
      hash,
      match: {
        part: this.part,
        start: this.offset + start,
        end: this.offset + end,
        masked,
        certainty: Math.min(
          100,
          reasons.reduce((n, r) => n + r.points, 0),
        ),
        reasons,
        ...(this.where && { where: this.where }),
      },
    });
  }

  /** What came of a condition; nothing where it does not hold. */
  private ask(
    type: CustomType,
    leaves: Map<Condition, Leaf>,
    c: Condition,
    others: ReadonlyMap<string, Found>,
  ): Outcome {
    const outcome = this.answer(type, leaves, c, others);
    return outcome.distinct >= (c.distinct ?? 1) && outcome.occurrences >= (c.occurrences ?? 1)
      ? outcome
      : NONE;
  }

  private answer(
    type: CustomType,
    leaves: Map<Condition, Leaf>,
    c: Condition,
    others: ReadonlyMap<string, Found>,
  ): Outcome {
    if ('pattern' in c || 'words' in c) return this.outcomes.get(leaves.get(c)!) ?? NONE;
    if ('everything' in c) {
      const hash = this.options.hash(type.id, '');
      const reasons = [{ why: 'it matches every document', points: 100 }];
      const match: Match = { part: 'title', start: 0, end: 0, masked: '—', certainty: 100, reasons };
      return { places: [{ hash, match }], hashes: new Set([hash]), distinct: 1, occurrences: 1 };
    }
    if ('type' in c) {
      const found = others.get(c.type);
      const least = c.certainty ?? 0;
      if (!found || found.certainty < least) return NONE;
      const sure = found.matches.filter((m) => m.certainty >= least);
      // where some kept are not sure, those that were not kept are not counted on
      const all = sure.length === found.matches.length;
      return {
        places: sure.map((match, i) => ({ hash: found.hashes[i] ?? '', match })),
        hashes: new Set(found.hashes),
        distinct: all ? found.distinct : Math.min(found.distinct, sure.length),
        occurrences: all ? found.occurrences : sure.length,
      };
    }
    if ('find' in c) {
      const found = this.ask(type, leaves, c.find, others);
      const near = this.ask(type, leaves, c.near, others);
      const places = found.places.flatMap(({ hash, match }) => {
        const by = near.places.find(
          ({ match: m }) =>
            m !== match &&
            m.part === match.part &&
            m.where === match.where &&
            Math.max(m.start - match.end, match.start - m.end) <= c.within,
        );
        if (!by) return [];
        const reason = { why: `${by.match.masked} is within ${c.within} characters`, points: 20 };
        return { hash, match: plus(match, reason) };
      });
      const hashes = new Set(places.map((p) => p.hash));
      return { places, hashes, distinct: hashes.size, occurrences: places.length };
    }
    const inner = 'all' in c ? c.all : 'any' in c ? c.any : c.of;
    const wanted = 'all' in c ? inner.length : 'any' in c ? 1 : c.atLeast;
    const held = inner.map((x) => this.ask(type, leaves, x, others)).filter((o) => o.occurrences > 0);
    if (held.length < wanted) return NONE;
    const hashes = new Set(held.flatMap((o) => [...o.hashes]));
    const reason = { why: `${held.length} of ${inner.length} conditions hold`, points: 10 };
    return {
      places: held.flatMap((o) =>
        o.places.map((p) => (inner.length > 1 ? { ...p, match: plus(p.match, reason) } : p)),
      ),
      hashes,
      distinct: Math.max(hashes.size, ...held.map((o) => o.distinct)),
      occurrences: held.reduce((n, o) => n + o.occurrences, 0),
    };
  }
}

/** Levels of what was kept; occurrences beyond that have the certainty of the last. */
function levelsIn({ places, occurrences, distinct }: Outcome): Level[] {
  const counts = new Map<number, number>();
  const surest = new Map<string, number>();
  for (const { hash, match } of places) {
    counts.set(match.certainty, (counts.get(match.certainty) ?? 0) + 1);
    surest.set(hash, Math.max(surest.get(hash) ?? 0, match.certainty));
  }
  const last = places[places.length - 1]?.match.certainty ?? 0;
  counts.set(last, (counts.get(last) ?? 0) + Math.max(0, occurrences - places.length));
  const values = [...surest.values()];
  while (values.length < distinct) values.push(last);
  return levelsOf(counts, values);
}

/** Where they stand, likewise. */
function partsIn({ places, occurrences, distinct }: Outcome): InParts | undefined {
  const count = new PartsCount();
  const levels = new Map<number, number>();
  const seen = new Map<string, number>();
  const take = ({ part, certainty }: Pick<Match, 'part' | 'certainty'>, value: string): void => {
    count.add(part, value, certainty, { levels, seen });
    levels.set(certainty, (levels.get(certainty) ?? 0) + 1);
    seen.set(value, Math.max(seen.get(value) ?? 0, certainty));
  };
  for (const { hash, match } of places) take(match, hash);
  const last = places.at(-1);
  for (let n = places.length; last && n < occurrences; n++)
    take(last.match, seen.size < distinct ? `beyond what was kept ${n}` : last.hash);
  return count.done();
}

const plus = (match: Match, reason: Reason): Match => ({
  ...match,
  certainty: Math.min(100, match.certainty + reason.points),
  reasons: [...match.reasons, reason],
});

const maskedValue = (value: string): string => `••••${value.length > 6 ? value.slice(-3) : ''}`;

/** Which of a type's cases do not come out as they must; none where all is well. */
export function failingCases(
  type: CustomType,
  compiled: CompiledCustom,
  scan: (text: string, custom: readonly CompiledCustom[]) => Found[],
): { text: string; matches: boolean }[] {
  return type.cases.filter(
    ({ text, matches }) => scan(text, [compiled]).some((f) => f.dataType === type.id) !== matches,
  );
}
