import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DENSITIES, leastOf, readLayout, writeLayout, type Layout } from './layout.ts';
import { sortRows, type SortKey, type SortValue } from './sort.ts';

const KEYS = ['points', 'name', 'weight', 'reach-now'];

describe('a layout in the address', () => {
  const layouts = fc.record({
    order: fc.shuffledSubarray(KEYS, { minLength: KEYS.length }),
    hidden: fc.subarray(KEYS),
    pinned: fc.subarray(KEYS),
    widths: fc.dictionary(fc.constantFrom(...KEYS), fc.integer({ min: 44, max: 1200 })),
    density: fc.constantFrom(...DENSITIES),
  });
  it('is read as it was written', () => {
    fc.assert(
      fc.property(layouts, (l) => {
        const text = writeLayout(l, KEYS, ['points']);
        const sorted = (x: Layout) => ({ ...x, hidden: [...x.hidden].sort(), pinned: [...x.pinned].sort() });
        const expected = { ...l, widths: { ...l.widths } };
        expect(sorted(readLayout(text ?? null, KEYS, ['points']))).toEqual(sorted(expected));
      }),
    );
  });

  it('leaves out what it does not know, whatever the address says', () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        const l = readLayout(text, KEYS, ['points']);
        expect([...l.order].sort()).toEqual([...KEYS].sort());
        expect(l.hidden.concat(l.pinned).every((k) => KEYS.includes(k))).toBe(true);
        expect(Object.values(l.widths).every((w) => w >= 44 && w <= 1200)).toBe(true);
      }),
    );
    expect(readLayout('gone~90,-weight,name~9999^;compact', KEYS, ['points'])).toEqual({
      order: ['weight', 'name', 'points', 'reach-now'],
      hidden: ['weight'],
      pinned: ['name'],
      widths: { name: 1200 },
      density: 'compact',
    });
  });

  it('is nothing where it is as declared', () => {
    expect(writeLayout(readLayout(null, KEYS, ['points']), KEYS, ['points'])).toBeUndefined();
    expect([leastOf('minmax(200px, 1fr)'), leastOf('72px'), leastOf('1fr')]).toEqual([200, 72, 120]);
  });
});

describe('sorting by several keys', () => {
  it('is what comparing row by row gives, keeps the order of what is alike, and puts what is absent last', () => {
    const value = fc.oneof(
      fc.string({ maxLength: 8 }).filter((t) => t.trim() !== ''),
      fc.constantFrom(
        'ÿa',
        '漢字',
        '漢a',
        'ÿÿ',
        '\0',
        'þþþþþþ',
        'Åre',
        'are',
        'Ärende',
        'aren',
        'Tarn & Tide',
        'tarn',
      ),
      fc.constant(null),
    );
    const rows = fc.array(
      fc.record({
        a: fc.oneof(
          fc.integer(),
          fc.double({ noNaN: true }),
          fc.constantFrom(0, -0, 1, -1, 1 + 2 ** -52),
          fc.constant(undefined),
        ),
        b: value,
      }),
      { maxLength: 30 },
    );
    const fold = (t: string): string =>
      t
        .normalize('NFD')
        .replace(/[\u0300-\u036f]/g, '')
        .toLowerCase();
    const compare = (x: SortValue, y: SortValue, down: boolean): number => {
      if ((x ?? null) === null || (y ?? null) === null)
        return Number((x ?? null) === null) - Number((y ?? null) === null);
      const [s, t] = typeof x === 'string' && typeof y === 'string' ? [fold(x), fold(y)] : [x!, y!];
      return (s < t ? -1 : s > t ? 1 : 0) * (down ? -1 : 1);
    };
    fc.assert(
      fc.property(rows, fc.boolean(), fc.boolean(), (list, downA, downB) => {
        const keys: SortKey<(typeof list)[number]>[] = [
          { value: (r) => r.b, down: downB },
          { value: (r) => r.a, down: downA },
        ];
        const expected = [...list].sort((x, y) => compare(x.b, y.b, downB) || compare(x.a, y.a, downA));
        expect(sortRows(list, keys)).toEqual(expected);
      }),
      { numRuns: 500 },
    );
  });
});
