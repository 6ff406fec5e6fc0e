/** What is the same for all documents scanned for the same types, worked out once: classes of characters, shapes, phrases. */
import { ScanLoop } from './scan-loop.ts';
import { assertBounded, type DataType } from './types.ts';

export const DIGIT = 1;

export const UPPER = 2;

export const LOWER = 3;

const DASH = 4;

const AT = 5;

const PLUS = 6;

/** Class by UTF-16 code unit; letters beyond ASCII are as small ones: they join words too. */
export const CLASS = new Uint8Array(65536).fill(LOWER, 192);
// signs, and scripts that set no spaces: a number may stand right beside them
for (const [from, to] of [
  [0x0e00, 0x0e7f],
  [0x2000, 0x2bff],
  [0x2e80, 0x9fff],
  [0xac00, 0xd7af],
  [0xf900, 0xfaff],
  [0xfe30, 0xfe6f],
  [0xff00, 0xffef],
] as const)
  CLASS.fill(0, from, to + 1);
for (let c = 0; c < 128; c++) {
  if (c >= 48 && c <= 57) CLASS[c] = DIGIT;
  else if (c >= 65 && c <= 90) CLASS[c] = UPPER;
  else if (c >= 97 && c <= 122) CLASS[c] = LOWER;
}
CLASS[45] = DASH;
CLASS[64] = AT;
CLASS[43] = PLUS;

/** 1 for what words are made of. */
export const JOINED = CLASS.map((of) => (of > 0 && of <= LOWER ? 1 : 0));

export const joinsWord = (code: number): boolean => JOINED[code] === 1;

export const isDigit = (text: string, i: number): boolean => CLASS[text.charCodeAt(i)] === DIGIT;

export const isWord = (text: string, i: number): boolean => JOINED[text.charCodeAt(i)] === 1;

/** What may stand between the groups of one value. */
export const JOINS = new Uint8Array(65536);
for (const c of ' -./+(),;|\u00a0\u202f') JOINS[c.charCodeAt(0)] = 1;

/** A filling of machine-readable zones: part of the word it stands in. */
export const FILLING = 60;

/** What the part of an address before the at sign is made of. */
export const LOCAL = new Uint8Array(65536);
for (const c of 'abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_.%+-')
  LOCAL[c.charCodeAt(0)] = 1;

/** As much of the text is kept as a chain of words may take. */
export const CHAIN = 24 * 9;

/** Place of three letters in any case. */
export const letters = (a: number, b: number, c: number): number =>
  ((a & 31) << 10) | ((b & 31) << 5) | (c & 31);

/** A word or words that say something for or against some types. */
export interface Phrase {
  text: string;
  context: Set<DataType>;
  otherwise: Set<DataType>;
}

/** Everything that is the same for all documents scanned for the same types. */
export interface Prepared {
  longest: number;
  /** The loop over the text; it knows the shapes met so far by numbers of these lists. */
  loop: ScanLoop;
  suspects: Suspect[][];
  /** The number of a list by what is in it: many shapes have the same. */
  listOf: Map<string, number>;
  /** How to find out which types have a shape; `own`: the shapes are those of the patterns, one by one. */
  probes: { type: number; loose: RegExp[]; own: boolean }[];
  /** Types by three letters, with the words of theirs that begin so. */
  words: ({ type: number; words: string[] }[] | undefined)[];
  dash: number[];
  at: number[];
  plus: number[];
  chain: number[];
  /** Phrases by their first word; those of scripts without spaces apart. */
  phrases: Map<string, Phrase[]>;
  /** Three letters with which one of them begins; fewer where the word has fewer. */
  phraseKeys: Uint8Array;
  unspaced: Phrase[];
  /** Three letters with which a phrase begins that a type cannot do without. */
  needed: Uint8Array;
  numberOf: Map<DataType, number>;
}

export const UNSPACED = /[\u0e00-\u0e7f\u2e80-\u9fff\uac00-\ud7af]/;

export const SHAPE_LENGTH = 24;

/** A type that may stand at a place, and which of its patterns; all of them where it is not said. */
export interface Suspect {
  type: number;
  patterns: number[] | undefined;
  /** It is none without one of its words. */
  needs: boolean;
}

/** The pattern for shapes instead of texts: a digit is a digit, whichever, and a letter a letter of its case. */
export function loosened(pattern: RegExp): RegExp {
  const source = pattern.source.replace(
    /\[[^\]]*\]|\\u[0-9a-f]{4}|\\.|\{[^}]*\}|\(\?[:!=]|[A-Za-z0-9]|[^\x00-\x7f]/g,
    (piece) => {
      if (/^[{(]/.test(piece)) return piece;
      if (piece[0] === '[') {
        const inner = piece.slice(1, -1);
        const letters = inner.replace(/\\u[0-9a-f]{4}|\\[dwsrn]/g, '');
        return `[${inner.replace(/\\u[0-9a-f]{4}|\\.|[A-Za-z](?:-[A-Za-z])?|\d(?:-\d)?/g, (x) => (x[0] === '\\' ? x : ''))}${/[A-Z]/.test(letters) ? 'A' : ''}${/[a-z]/.test(letters) || (pattern.ignoreCase && /[A-Z]/.test(letters)) ? 'a' : ''}${/\d/.test(letters) ? '0' : ''}]`;
      }
      if (piece[0] === '\\') return piece;
      if (/\d/.test(piece)) return '0';
      return /[A-Z]/.test(piece) && !pattern.ignoreCase
        ? 'A'
        : /[a-z]/i.test(piece) && pattern.ignoreCase
          ? '[aA]'
          : 'a';
    },
  );
  return new RegExp(source, 'y');
}

const preparations = new WeakMap<readonly DataType[], Prepared>();

export function prepare(types: readonly DataType[]): Prepared {
  const known = preparations.get(types);
  if (known) return known;
  const numbers = types.map((_, n) => n);
  const p: Omit<Prepared, 'loop'> = {
    longest: Math.max(0, ...types.map((t) => t.longest)),
    suspects: [[], []],
    listOf: new Map([['[]', 1]]),
    probes: numbers.flatMap((type) => {
      const { shapes } = types[type]!.start;
      return shapes
        ? {
            type,
            loose: (shapes === true ? types[type]!.patterns : shapes).map(loosened),
            own: shapes === true,
          }
        : [];
    }),
    words: [],
    dash: numbers.filter((n) => types[n]!.start.sign === '-'),
    at: numbers.filter((n) => types[n]!.start.sign === '@'),
    plus: numbers.filter((n) => types[n]!.start.sign === '+'),
    chain: numbers.filter((n) => types[n]!.start.chain !== undefined),
    phrases: new Map(),
    phraseKeys: new Uint8Array(1 << 15),
    unspaced: [],
    needed: new Uint8Array(1 << 15),
    numberOf: new Map(types.map((t, n) => [t, n])),
  };
  const phrases = new Map<string, Phrase>();
  types.forEach((type, n) => {
    type.patterns.forEach(assertBounded);
    const words = new Map<number, string[]>();
    for (const word of type.start.words ?? []) {
      const key = letters(word.charCodeAt(0), word.charCodeAt(1), word.charCodeAt(2));
      words.set(key, [...(words.get(key) ?? []), word.toLowerCase()]);
    }
    for (const [key, list] of words) (p.words[key] ??= []).push({ type: n, words: list });
    for (const [side, list] of [
      ['context', Object.values(type.context).flat()],
      ['otherwise', type.otherwise],
    ] as const)
      for (const text of list) {
        let phrase = phrases.get(text);
        if (!phrase) phrases.set(text, (phrase = { text, context: new Set(), otherwise: new Set() }));
        phrase[side].add(type);
      }
  });
  for (const phrase of phrases.values()) {
    const first = WORD_ONCE.exec(phrase.text)![0];
    if (UNSPACED.test(phrase.text)) p.unspaced.push(phrase);
    else {
      p.phraseKeys[letters(first.charCodeAt(0), first.charCodeAt(1), first.charCodeAt(2))] = 1;
      const list = p.phrases.get(first) ?? [];
      p.phrases.set(
        first,
        [...list, phrase].sort((a, b) => b.text.length - a.text.length),
      );
    }
    if ([...phrase.context].some((t) => t.needsContext)) {
      // a word of one letter or two may be followed by anything
      const [a, b, c] = [0, 1, 2].map((k) => phrase.text.charCodeAt(k)) as [number, number, number];
      if (joinsWord(b) && joinsWord(c)) p.needed[letters(a, b, c)] = 1;
      else
        for (let x = 0; x < 1024; x++)
          if (!joinsWord(b) || x >> 5 === (b & 31)) p.needed[((a & 31) << 10) | x] = 1;
    }
  }
  const keys = p.needed.slice();
  for (const key of p.words.keys()) if (p.words[key]) keys[key] = 1;
  for (const { start } of types)
    for (const w of start.chain?.of ?? [])
      keys[letters(w.charCodeAt(0), w.charCodeAt(1), w.charCodeAt(2))]! |= 2;
  const prepared = { ...p, loop: new ScanLoop(CLASS, JOINS, keys) };
  preparations.set(types, prepared);
  return prepared;
}

const WORD_ONCE = /[\p{L}\p{N}]+/u;

/** In small letters, with names like `card_number` as words. */
export const inWords = (text: string): string => text.toLowerCase().replaceAll('_', ' ');
