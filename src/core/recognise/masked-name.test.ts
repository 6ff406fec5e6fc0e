import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { maskedName, maskedText } from './masked-name.ts';
import { Scanner } from './scan.ts';
import type { Match } from './types.ts';
import { DATA_TYPES, dataType } from './types/index.ts';

const from = (at: number) => (id: string) => {
  const type = dataType(id);
  return type && { weight: type.weight, from: at };
};
const shown = (name: string, at = 55): string => {
  const scanner = new Scanner({ types: DATA_TYPES, custom: [], keep: 20, hash: (_, v) => v });
  scanner.fileName(name);
  scanner.begin('title');
  // a title of the document’s own, at the same offsets, is not the name
  scanner.feed('IBAN DE89 3704 0044 0532 0130 00, 4111 1111 1111 1111');
  return maskedName(name, scanner.finish(), from(at));
};

describe('a name', () => {
  // example values: IBAN registry (Germany), and the test number that card schemes publish for Visa
  it('is shown without what is sensitive in it, and else as it is', () => {
    expect(shown('IBAN DE89 3704 0044 0532 0130 00.txt')).not.toContain('0532');
    expect(shown('IBAN DE89 3704 0044 0532 0130 00.txt')).toMatch(/^IBAN .*\.txt$/);
    expect(shown('credit card 4111 1111 1111 1111 and IBAN DE89370400440532013000.pdf')).not.toMatch(
      /4111 1111|0532013/,
    );
    for (const plain of [
      'Crew list 2026.xlsx',
      'id_rsa',
      'anna@tarntide.example.vcf',
      '.txt',
      'Ærø › Öland.md',
    ])
      expect(shown(plain)).toBe(plain);
    // a word of a list of one’s own is a reason to look, and no secret
    const word: Match = {
      part: 'title',
      start: 0,
      end: 7,
      masked: 'D•••',
      where: 'file name',
      certainty: 90,
      reasons: [],
    };
    const found = {
      dataType: 'own',
      distinct: 1,
      occurrences: 1,
      certainty: 90,
      levels: [],
      matches: [word],
      hashes: [],
    };
    expect(maskedName('Dispute 7.txt', [found], () => ({ weight: 3, from: 55 }))).toBe('Dispute 7.txt');
    // what does not count is not masked
    expect(shown('IBAN DE89 3704 0044 0532 0130 00.txt', 101)).toContain('0532');
  });

  it('keeps whatever stands around it', () => {
    const text = fc.string({ unit: 'grapheme', maxLength: 12 }).filter((t) => !/[\dA-Za-z]/.test(t));
    fc.assert(
      fc.property(text, text, (before, after) => {
        const masked = shown(`${before} IBAN DE89370400440532013000 ${after}`);
        expect(masked.startsWith(`${before} IBAN `)).toBe(true);
        expect(masked.endsWith(` ${after}`)).toBe(true);
        expect(masked).not.toContain('0532013000');
      }),
      { numRuns: 200 },
    );
  });
});

describe('a text that was typed', () => {
  it('is written down without what is sensitive in it', () => {
    expect(maskedText('iban DE89370400440532013000')).not.toContain('0532013000');
    for (const plain of ['', 'weight >= 3 && name.contains("crew")', 'Dispute evidence', '2026-03-01'])
      expect(maskedText(plain)).toBe(plain);
  });
});
