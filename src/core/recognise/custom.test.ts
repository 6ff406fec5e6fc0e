import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileCustom, CustomTypeError, failingCases, type Condition, type CustomType } from './custom.ts';
import { Scanner } from './scan.ts';
import { DATA_TYPES, dataType } from './types/index.ts';
import type { Found } from './types.ts';
import { STARTERS } from './starters.ts';
import { folded, WordList } from './word-list.ts';

const type = (match: Condition, more: Partial<CustomType> = {}): CustomType => ({
  id: 'own',
  name: 'Own',
  weight: 2,
  certainty: 60,
  context: [],
  cases: [],
  match,
  ...more,
});
const compile = (t: CustomType) => compileCustom(t, (id) => dataType(id) !== undefined);

function scan(t: CustomType, text: string, sizes = [Infinity], heading?: string): Found | undefined {
  const scanner = new Scanner({
    types: DATA_TYPES,
    custom: [compile(t)],
    hash: (id, value) => `${id} ${value}`,
  });
  scanner.begin('body');
  if (heading) scanner.headed(heading);
  for (let at = 0, k = 0; at < text.length; k++) {
    const size = Math.min(text.length, sizes[k % sizes.length]!);
    scanner.feed(text.slice(at, at + size));
    at += size;
  }
  return scanner.finish().find((f) => f.dataType === 'own');
}
const counts = (f: Found | undefined): [number, number] | undefined => f && [f.distinct, f.occurrences];

describe('lists of words', () => {
  it('find the longest word that ends at every place, as looking for each by itself does', () => {
    const letters = fc.string({ unit: fc.constantFrom('a', 'b', 'ç'), minLength: 1, maxLength: 5 });
    fc.assert(
      fc.property(
        fc.array(letters, { minLength: 1, maxLength: 12 }),
        fc.string({ unit: fc.constantFrom('a', 'b', 'ç', ' '), maxLength: 60 }),
        fc.nat(60),
        (words, text, cut) => {
          const list = new WordList(words);
          const met = new Map<number, number[]>();
          const visit = (end: number, length: number): boolean => {
            met.set(end, [...(met.get(end) ?? []), length]);
            return false;
          };
          const state = list.feed(text.slice(0, cut), 0, 0, visit);
          list.feed(text, Math.min(cut, text.length), state, visit);
          for (let end = 1; end <= text.length; end++) {
            const wanted = [...new Set(words)]
              .filter((w) => text.slice(0, end).endsWith(w))
              .map((w) => w.length)
              .sort((a, b) => b - a);
            expect(met.get(end) ?? []).toEqual(wanted);
          }
        },
      ),
      { numRuns: 500 },
    );
  });

  it('keep offsets when letters are made small', () => {
    expect(folded('İSTANBUL ÅSE')).toHaveLength('İSTANBUL ÅSE'.length);
    expect(folded('İSTANBUL ÅSE')).toContain('stanbul åse');
  });

  it('of tens of thousands are met as whole words, in any case, and not within others', () => {
    const words = Array.from({ length: 50_000 }, (_, i) => `Zulu${i} Berth`);
    const t = type({ words });
    expect(counts(scan(t, 'the ZULU4711 berth, zulu4711 Berths, xzulu1 berth, (zulu1 berth)'))).toEqual([
      2, 2,
    ]);
    expect(counts(scan(type({ words: ['berth'], partsOfWords: true }), 'Berths, berth'))).toEqual([1, 2]);
    expect(scan(type({ words: ['Berth'], matchCase: true }), 'berth BERTH')).toBeUndefined();
    expect(counts(scan(type({ words: ['机密'], partsOfWords: true }), '这是机密文件'))).toEqual([1, 1]);
  });
});

describe('custom data types', () => {
  it('find the same whatever pieces the text comes in', () => {
    const t = type(
      { any: [{ pattern: 'TT-\\d{4}\\b' }, { words: ['crew list', 'crew'] }] },
      { context: ['ship'] },
    );
    const piece = fc.constantFrom(
      'TT-1234',
      'TT-12345',
      ' crew',
      ' list',
      'crewlist',
      ' ship ',
      '\n',
      'x'.repeat(40_000),
      'é ',
    );
    fc.assert(
      fc.property(
        fc.array(piece, { maxLength: 12 }),
        fc.array(fc.integer({ min: 1, max: 30_000 }), { minLength: 1, maxLength: 4 }),
        (pieces, sizes) => {
          const text = pieces.join('');
          expect(scan(t, text, sizes)).toEqual(scan(t, text));
        },
      ),
      { numRuns: 100 },
    );
  });

  it('stand under a heading, pass a check, and have words near', () => {
    // 7992 7398 71: the worked example of the check digit in many handbooks; from memory
    const t = type(
      { pattern: '\\d{4}-\\d{4}-\\d{3}', check: 'luhn', under: ['member no'] },
      { context: ['ferry club'] },
    );
    const text = 'ferry club 7992-7398-713 and 7992-7398-714';
    expect(scan(t, text)).toBeUndefined();
    const found = scan(t, text, [3], 'Member No.')!;
    expect(found.matches.map((m) => [m.masked, m.certainty])).toEqual([['••••713', 100]]);
    expect(found.matches[0]!.reasons.map((r) => [r.why, r.points])).toEqual([
      ['it has the shape of the pattern', 60],
      ['its check holds: ISO/IEC 7812-1 (Luhn)', 30],
      ['it stands under “member no.”', 20],
      ['the word “ferry club” is near', 15],
    ]);
  });

  it('combine: all of, any of, so many of, near one another, so many distinct', () => {
    const crew: Condition = { words: ['crew'] };
    const card: Condition = { type: 'payment-card', certainty: 50 };
    const number: Condition = { pattern: 'TT-\\d{4}' };
    const both = 'crew, card no 4539 1488 0343 6467';
    expect(scan(type({ all: [crew, card] }), both)).toMatchObject({ occurrences: 2 });
    expect(scan(type({ all: [crew, card] }), 'crew alone')).toBeUndefined();
    expect(scan(type({ any: [crew, card] }), 'crew alone')).toMatchObject({ occurrences: 1 });
    expect(scan(type({ atLeast: 2, of: [crew, card, number] }), 'crew TT-1234')).toMatchObject({
      occurrences: 2,
    });
    expect(scan(type({ atLeast: 2, of: [crew, card, number] }), 'crew crew')).toBeUndefined();
    const near: Condition = { find: number, near: crew, within: 20 };
    expect(scan(type(near), `TT-1234 of the crew ${'.'.repeat(50)} TT-9999`)).toMatchObject({
      occurrences: 1,
    });
    const twice = 'TT-1234 and TT-1234';
    expect(scan(type({ ...number, distinct: 2 }), twice)).toBeUndefined();
    expect(scan(type({ ...number, occurrences: 2 }), twice)).toMatchObject({ distinct: 1, occurrences: 2 });
    expect(scan(type({ everything: true }), '')).toMatchObject({ occurrences: 1, certainty: 100 });
  });

  it('that cannot be run are refused with the reason', () => {
    const refused = (match: Condition): string => {
      try {
        compile(type(match));
      } catch (e) {
        expect(e).toBeInstanceOf(CustomTypeError);
        return (e as Error).message;
      }
      return 'nothing';
    };
    expect(refused({ pattern: 'a(?=b)' })).toContain('looks ahead or behind');
    expect(refused({ pattern: '(a)\\1' })).toContain('refers back');
    expect(refused({ pattern: 'a{1,5000}' })).toContain('1,000');
    expect(refused({ pattern: '(a' })).toContain('cannot be read');
    expect(refused({ pattern: 'a*' })).toContain('nothing');
    expect(refused({ pattern: '(abcdefghijklmnopqrstuvwxyz){1000}' })).toContain('too large');
    expect(refused({ words: [' '] })).toContain('empty');
    expect(refused({ type: 'no-such' })).toContain('no-such');
    expect(refused({ atLeast: 3, of: [{ everything: true }] })).toContain('3 of 1');
  });

  it('take time in proportion to the text where a backtracking pattern would not end', () => {
    const t = type({ any: [{ pattern: '(a|aa)+$' }, { pattern: '(x+x+)+y' }, { pattern: '(.*)*z' }] });
    const at = performance.now();
    scan(t, `${'a'.repeat(500_000)}b ${'x'.repeat(500_000)}`);
    // a backtracking engine is not done in the age of the universe; this is no measure of speed
    expect(performance.now() - at).toBeLessThan(30_000);
  });

  it.each(STARTERS.map((t) => [t.name, t] as const))('to begin from: %s holds its own cases', (_, t) => {
    const failed = failingCases(t, compile(t), (text, custom) => {
      const scanner = new Scanner({ types: DATA_TYPES, custom, hash: (id, v) => id + v });
      scanner.begin('body');
      scanner.feed(text);
      return scanner.finish();
    });
    expect(failed).toEqual([]);
    expect(t.cases.length).toBeGreaterThan(0);
  });

  it('keep their cases, and say which fail', () => {
    const t = type(
      { pattern: 'TT-\\d{4}' },
      {
        cases: [
          { text: 'TT-1234', matches: true },
          { text: 'TT-12', matches: false },
          { text: 'tt-1234', matches: true },
        ],
      },
    );
    const failed = failingCases(t, compile(t), (text, custom) => {
      const scanner = new Scanner({ types: [], custom, hash: (_, v) => v });
      scanner.begin('body');
      scanner.feed(text);
      return scanner.finish();
    });
    expect(failed).toEqual([{ text: 'tt-1234', matches: true }]);
  });
});
