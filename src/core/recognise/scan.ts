/**
 * The recogniser: one pass over the text finds places where a candidate may start; each type's
 * bounded pattern is tried there; accepted candidates get their certainty from the type's own
 * reasons and from the words around them. Time is linear in the text for every input.
 *
 * Text may come in pieces of any size: the scanner keeps only as much as a candidate and its
 * surroundings need. Raw values stay inside: what comes out is masked or hashed.
 */
import type { Part } from '../model.ts';
import { findPhrases, reasonsAround, type PhraseAt } from './context.ts';
import { CustomScan, type CompiledCustom } from './custom.ts';
import { EVENT, type Chain } from './scan-loop.ts';
import {
  IN_NAME,
  inParts,
  levelsOf,
  PartsCount,
  type DataType,
  type Judgement,
  type Found,
  type Match,
  type Reason,
} from './types.ts';
import { ALIKE, LEAST, SURE, SURER, alike, lowered, sum } from './certainty.ts';
import {
  CHAIN,
  CLASS,
  DIGIT,
  FILLING,
  JOINS,
  LOCAL,
  LOWER,
  type Phrase,
  type Prepared,
  SHAPE_LENGTH,
  type Suspect,
  UPPER,
  inWords,
  isWord,
  letters,
  prepare,
} from './prepare.ts';

/** Characters before and after a candidate in which words are looked for. */
const WINDOW = 80;

/** As far is looked ahead for phrases at a time. */
const STRIDE = 160;

export interface ScanOptions {
  types: readonly DataType[];
  /** Types that stewards made; those that they ask about are among `types`. */
  custom?: readonly CompiledCustom[];
  /** Keyed hash of a data type and normalised value; its key never leaves the caller. */
  hash(dataType: string, normalised: string): string;
  /** Matches below this certainty are not counted at all. Default 0. */
  minCertainty?: number;
  /** Matches and hashes kept per data type; all are counted. Default 200. */
  keep?: number;
}

interface Tally {
  /** Distinct normalised values by keyed hash, with the certainty of the surest. */
  seen: Map<string, number>;
  /** Occurrences by certainty. */
  levels: Map<number, number>;
  /** Some of them as they are, while the document is scanned. */
  values: string[];
  parts: PartsCount;
  occurrences: number;
  certainty: number;
  matches: Match[];
}

/** Scans one document, part by part. */
export class Scanner {
  private readonly tallies = new Map<string, Tally>();
  private readonly p: Prepared;
  private part: Part = 'body';
  private name = '';
  private where = '';
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
  private covered = { from: -1, to: -1, certainty: 0 };
  /** Phrases met, by where they begin in the part; and how far they have been looked for. */
  private phrases: PhraseAt[] = [];
  private lookedTo = 0;
  /** Where the text under this heading begins; and what the heading says of types. */
  private apart = 0;
  private heading = { text: '', phrases: [] as Phrase[], needed: new Set<number>() };
  /** By type: how far a phrase that it cannot do without reaches. */
  private readonly armed: Float64Array;
  /** Of any type: how far. */
  private armedTo = 0;
  private chain: Chain = { links: 0, from: 0 };
  private readonly custom: CustomScan | undefined;

  constructor(private readonly options: ScanOptions) {
    this.p = prepare(options.types);
    this.armed = new Float64Array(options.types.length);
    if (options.custom?.length)
      this.custom = new CustomScan(options.custom, {
        hash: (type, value) => options.hash(type, value),
        minCertainty: options.minCertainty ?? 0,
        keep: this.keep,
      });
  }

  /** Begins a part; what was fed before is finished. */
  begin(part: Part): void {
    this.flush(true);
    this.custom?.begin(part);
    this.part = part;
    this.buffer = '';
    this.offset = this.at = this.lookedTo = 0;
    this.lastEnd.clear();
    this.covered = { from: -1, to: -1, certainty: 0 };
    this.armed.fill(0);
    this.armedTo = 0;
    this.phrases = [];
    this.headed('');
    this.apart = 0;
    this.place('');
  }

  /** What follows stands under a heading (of a column, say), until another or the part’s end. */
  headed(text: string): void {
    if (text === this.heading.text) return;
    this.flush(true);
    this.custom?.headed(text);
    const phrases: Phrase[] = [];
    findPhrases(this.p, inWords(text), text.length, (_, __, phrase) => phrases.push(phrase));
    const needed = new Set(phrases.flatMap((x) => [...x.context].map((t) => this.p.numberOf.get(t)!)));
    this.heading = { text, phrases, needed };
    // what stood under another says nothing of this
    this.apart = this.offset + this.buffer.length;
  }

  /** What follows stands there, in words, until another place is named. */
  place(where: string): void {
    if (where === this.where) return;
    this.flush(true);
    this.custom?.place(where);
    this.where = where;
  }

  /** More text of the part. */
  feed(text: string): void {
    if (this.part === 'body' && this.offset + this.buffer.length === 0)
      this.isPem = text.startsWith('-----BEGIN ');
    this.custom?.feed(text);
    this.buffer += text;
    this.flush(false);
  }

  /** A file's name: scanned as a title, and asked of the types that know files by name. */
  fileName(name: string): void {
    this.begin('title');
    this.place(IN_NAME);
    this.feed(name);
    this.flush(true);
    this.name = name;
  }

  /** Nothing was met so far that would be lost with this scanner. */
  get idle(): boolean {
    this.flush(true);
    return this.tallies.size === 0 && !this.isPem && this.custom?.idle !== false;
  }

  /** Everything found, by data type in the order of the types; types without a match are left out. */
  finish(): Found[] {
    this.begin('body');
    const named = this.name !== '' && !this.isPem;
    if (!named && !this.tallies.size) return this.custom?.finish(new Map()) ?? [];
    const found = this.options.types.flatMap((type): Found[] => {
      if (named && !this.tallies.has(type.id) && type.fileName?.pattern.test(this.name))
        this.add(type, `name:${this.name}`, {
          part: 'title',
          start: 0,
          end: this.name.length,
          masked: type.fileName.masked,
          ...sum([type.fileName.reason]),
        });
      const tally = this.tallies.get(type.id);
      if (!tally) return [];
      const counted = alike(tally.values);
      const matches = counted
        ? tally.matches
            .map((m) => ({ ...m, ...sum([...m.reasons, counted]) }))
            .filter((m) => m.certainty >= Math.max(1, this.options.minCertainty ?? 0))
        : tally.matches;
      if (!matches.length && counted) return [];
      return [
        {
          dataType: type.id,
          distinct: tally.seen.size,
          occurrences: tally.occurrences,
          certainty: counted ? Math.max(...matches.map((m) => m.certainty)) : tally.certainty,
          levels: levelsOf(
            counted ? lowered(tally.levels, counted.points) : tally.levels,
            [...tally.seen.values()].map((c) => Math.max(0, c + (counted?.points ?? 0))),
          ),
          ...inParts(tally.parts.done(counted?.points)),
          matches,
          hashes: [...tally.seen.keys()].sort().slice(0, this.keep),
        },
      ];
    });
    return this.custom ? found.concat(this.custom.finish(new Map(found.map((f) => [f.dataType, f])))) : found;
  }

  private get keep(): number {
    return this.options.keep ?? 200;
  }

  private flush(final: boolean): void {
    const { buffer, p, offset } = this;
    const end = final ? buffer.length : buffer.length - p.longest - WINDOW;
    let i = this.at;
    // a word that began before is not begun again
    if (i > 0 && i < end && isWord(buffer, i - 1)) while (i < buffer.length && isWord(buffer, i)) i++;
    if (i < end) {
      // from one character before, for what is looked at behind
      const base = Math.max(0, i - 1);
      const { loop } = p;
      const { links, from } = this.chain;
      const within = offset + base;
      loop.begin(buffer.slice(base), i - base, { links, from: from - within });
      const length = buffer.length - base;
      do {
        const events = loop.next(end - base, length);
        for (let n = 0; n < events; n++) this.meet(n, base);
      } while (loop.at < end - base);
      const { chain } = loop;
      this.chain = { links: chain.links, from: chain.from + within };
      i = base + loop.at;
    }
    if (final) this.endChain();
    this.at = Math.max(i, this.at);
    const drop = Math.max(0, this.at - CHAIN);
    if (drop > 1 << 16 || final) {
      this.buffer = buffer.slice(drop);
      this.offset += drop;
      this.at -= drop;
    }
  }

  /** Something may begin at a place: what the loop tells of as its n-th event. */
  private meet(n: number, base: number): void {
    const { p } = this;
    const { loop } = p;
    const i = base + loop.event(n, 1);
    switch (loop.event(n, 0)) {
      case EVENT.dashes:
        for (const type of p.dash) this.attempt(type, i);
        break;
      case EVENT.at:
        this.attemptAt(i);
        break;
      case EVENT.plus:
        for (const type of p.plus) this.attempt(type, i);
        break;
      case EVENT.word:
        this.word(i);
        break;
      case EVENT.shape:
        this.suspect(p.suspects[loop.event(n, 2)]!, i);
        break;
      case EVENT.newShape: {
        const [one, two] = [loop.event(n, 2), loop.event(n, 3)];
        let list = loop.known(one, two);
        if (!list) {
          const suspects = this.suspectsAt(i);
          const content = JSON.stringify(suspects);
          list = p.listOf.get(content) ?? p.suspects.push(suspects) - 1;
          p.listOf.set(content, list);
          loop.learn(one, two, list);
        }
        this.suspect(p.suspects[list]!, i);
        break;
      }
      case EVENT.chain:
        this.chainEnded(i, base + loop.event(n, 2), loop.event(n, 3));
    }
  }

  private suspect(suspects: readonly Suspect[], i: number): void {
    const at = this.offset + i;
    if (at > this.covered.from && at < this.covered.to) return;
    const armed = at < this.armedTo || this.heading.needed.size > 0;
    for (let n = 0; n < suspects.length; n++) {
      const s = suspects[n]!;
      if (armed || !s.needs) this.attempt(s.type, i, s.patterns);
    }
  }

  /** A word that begins as one does that is of interest. */
  private word(i: number): void {
    const { buffer, p } = this;
    let j = i + 1;
    while (j < buffer.length && isWord(buffer, j)) j++;
    const code = buffer.charCodeAt(i);
    if (code > 191) return this.noteNeeded(i, j);
    const key = letters(code, buffer.charCodeAt(i + 1), buffer.charCodeAt(i + 2));
    if (p.needed[key]) this.noteNeeded(i, j);
    const led = p.words[key];
    if (!led) return;
    const word = buffer.slice(i, Math.min(j, i + 24)).toLowerCase();
    for (const { type, words } of led) if (words.some((w) => word.startsWith(w))) this.attempt(type, i);
  }

  /** The types whose shape stands at a place, and with which of their patterns. */
  private suspectsAt(i: number): Suspect[] {
    const { buffer, p } = this;
    const most = Math.min(buffer.length, i + SHAPE_LENGTH);
    let key = '';
    let joint = false;
    let k = i;
    for (let end = false; k < most && !end; k++) {
      const code = buffer.charCodeAt(k);
      const of = CLASS[code]!;
      const word = of > 0 && of <= LOWER;
      if (code === FILLING) joint = false;
      else if (!word) {
        end = joint || JOINS[code] === 0;
        joint = true;
      } else {
        end = of !== DIGIT && joint && buffer.charCodeAt(k - 1) === 32;
        joint = false;
      }
      key +=
        of === DIGIT
          ? '0'
          : of === UPPER
            ? 'A'
            : of === LOWER
              ? 'a'
              : JOINS[code] || code === FILLING
                ? buffer[k]!
                : ' ';
    }
    const cut = k === i + SHAPE_LENGTH;
    return p.probes.flatMap(({ type, loose, own }): Suspect[] => {
      const fits = loose.flatMap((pattern, n) => {
        pattern.lastIndex = 0;
        return pattern.test(key) ? n : [];
      });
      if (!fits.length) return [];
      // of a shape that is longer than what is looked at, any pattern may be the one
      return [
        {
          type,
          patterns: own && !cut ? fits : undefined,
          needs: this.options.types[type]!.needsContext === true,
        },
      ];
    });
  }

  /** Where a word begins a phrase that a type cannot do without, that type may follow for a while. */
  private noteNeeded(i: number, j: number): void {
    const text = inWords(this.buffer.slice(i, j + WINDOW / 2));
    findPhrases(this.p, text, j - i, (_, to, phrase) => {
      for (const type of phrase.context)
        if (type.needsContext) {
          this.armedTo = this.offset + i + to + WINDOW;
          this.armed[this.p.numberOf.get(type)!] = this.armedTo;
        }
    });
  }

  private endChain(): void {
    const { chain, offset, buffer } = this;
    if (chain.links > 11) this.chainEnded(chain.from - offset, buffer.length, chain.links);
    this.chain = { links: 0, from: 0 };
  }

  /** Small words one after another: of a long chain, what the longest phrase may take. */
  private chainEnded(from: number, to: number, links: number): void {
    let end = to;
    while (end > from && !isWord(this.buffer, end - 1)) end--;
    for (const type of this.p.chain)
      if (links >= this.options.types[type]!.start.chain!.least)
        this.attempt(type, Math.max(0, end - CHAIN, from), undefined, end);
  }

  /** Tries the types that an at sign gives away, from where what stands before it begins. */
  private attemptAt(i: number): void {
    let from = i;
    while (from > 0 && i - from < 64 && LOCAL[this.buffer.charCodeAt(from - 1)]) from--;
    while (from < i && !isWord(this.buffer, from) && this.buffer.charCodeAt(from) !== 95) from++;
    if (from < i) for (const type of this.p.at) this.attempt(type, from);
  }

  /**
   * Tries one type at a place, with some of its patterns or all of them; `chainEnd`: where a chain of
   * words ends that begins there.
   */
  private attempt(n: number, i: number, only?: readonly number[], chainEnd?: number): void {
    const { buffer } = this;
    const type = this.options.types[n]!;
    const at = this.offset + i;
    if (type.needsContext && this.armed[n]! <= at && !this.heading.needed.has(n)) return;
    if ((this.lastEnd.get(type) ?? 0) > at || (at > this.covered.from && at < this.covered.to)) return;
    const count = only ? only.length : type.patterns.length;
    for (let x = 0; x < count; x++) {
      const k = only ? only[x]! : x;
      const pattern = type.patterns[k]!;
      pattern.lastIndex = i;
      if (chainEnd === undefined && !pattern.test(buffer)) continue;
      const after = chainEnd ?? pattern.lastIndex;
      const candidate = buffer.slice(i, after);
      const judgement = type.judge(candidate, buffer.slice(after, after + type.longest), k);
      if (!judgement) continue;
      const begin = i + (judgement.skips ?? 0);
      const end = begin + (judgement.length ?? after - begin);
      if (isWord(buffer, end - 1) && end < buffer.length && isWord(buffer, end)) continue;
      const around = this.surroundings(type, judgement, begin, end);
      if (!around) continue;
      const reasons = judgement.reasons.concat(around);
      const summed = sum(reasons);
      if (summed.certainty < LEAST) continue;
      // of two readings of the same characters the one that is much surer counts
      const { covered } = this;
      if (
        at === covered.from &&
        this.offset + end === covered.to &&
        summed.certainty <= covered.certainty - SURER
      )
        continue;
      this.lastEnd.set(type, this.offset + end);
      if (summed.certainty >= SURE && this.offset + end > this.covered.to)
        this.covered = { from: at, to: this.offset + end, certainty: summed.certainty };
      this.add(type, judgement.normalised, {
        part: this.part,
        start: this.offset + begin,
        end: this.offset + end,
        masked: judgement.masked,
        ...summed,
        ...(this.where && { where: this.where }),
      });
      return;
    }
  }

  private add(type: DataType, normalised: string, match: Match): void {
    if (match.certainty < (this.options.minCertainty ?? 0)) return;
    let tally = this.tallies.get(type.id);
    if (!tally)
      this.tallies.set(
        type.id,
        (tally = {
          seen: new Map(),
          levels: new Map(),
          values: [],
          parts: new PartsCount(),
          occurrences: 0,
          certainty: 0,
          matches: [],
        }),
      );
    const before = tally.seen.size;
    const hash = this.options.hash(type.id, normalised);
    tally.parts.add(match.part, hash, match.certainty, tally);
    tally.seen.set(hash, Math.max(tally.seen.get(hash) ?? 0, match.certainty));
    tally.levels.set(match.certainty, (tally.levels.get(match.certainty) ?? 0) + 1);
    if (tally.seen.size > before && before < ALIKE.most) tally.values.push(normalised);
    tally.occurrences++;
    tally.certainty = Math.max(tally.certainty, match.certainty);
    if (tally.matches.length < this.keep) tally.matches.push(match);
  }

  /** Looks for phrases as far as one place of the part; each stretch of text is gone through once. */
  private lookTo(start: number, to: number): void {
    if (to <= this.lookedTo) return;
    const { buffer, offset } = this;
    let from = Math.max(this.lookedTo, start - WINDOW, offset) - offset;
    // phrases lie within one stretch: it begins a phrase's length before and ends after a whole word
    while (from > 0 && isWord(buffer, from - 1)) from--;
    // further than asked where there is room: what comes next asks again
    const room = to - offset + STRIDE <= buffer.length - WINDOW;
    let end = Math.min(buffer.length, to - offset + (room ? STRIDE : WINDOW));
    for (let more = WINDOW; more > 0 && end < buffer.length && isWord(buffer, end); more--) end++;
    const back = Math.max(0, from - 40);
    const text = inWords(buffer.slice(back, end));
    // a letter whose small form is longer moves what comes after it by that much: near enough
    const seen = new Set(this.phrases.map((x) => `${x.at} ${x.phrase.text}`));
    findPhrases(this.p, text, text.length, (a, b, phrase) => {
      const at = offset + back + a;
      if (!seen.has(`${at} ${phrase.text}`)) this.phrases.push({ at, end: offset + back + b, phrase });
    });
    // a candidate may yet begin as far back as a chain of words
    const keepFrom = start - CHAIN - WINDOW;
    this.phrases = this.phrases.filter((x) => x.end >= keepFrom).sort((a, b) => a.at - b.at);
    this.lookedTo = offset + end;
  }

  /** What the words and characters around a candidate say; undefined where they leave it nothing. */
  private surroundings(
    type: DataType,
    judgement: Judgement,
    start: number,
    end: number,
  ): Reason[] | undefined {
    const { buffer, offset, apart, heading } = this;
    this.lookTo(offset + start, offset + Math.min(buffer.length, end + WINDOW));
    const near = this.phrases.filter(
      (x) =>
        (x.end <= offset + start && x.end > offset + start - WINDOW && x.at >= apart) ||
        (x.at >= offset + end && x.at < offset + end + WINDOW),
    );
    return reasonsAround(type, judgement, near, heading.phrases, buffer, start, end);
  }
}
