import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compareBy, readSorts, writeSorts, type Sort } from './sorts.ts';

const KEYS = ['name', 'weight', 'points'] as const;
type Key = (typeof KEYS)[number];

describe('an order by several keys', () => {
  const sorts = fc
    .shuffledSubarray([...KEYS], { minLength: 1 })
    .chain((keys) => fc.tuple(...keys.map((key) => fc.boolean().map((down) => ({ key, down })))));

  it('is read as it was written', () => {
    fc.assert(
      fc.property(sorts, (s) => {
        expect(readSorts(writeSorts(s), KEYS)).toEqual(s);
      }),
    );
  });

  it('takes the usual way where none is said, each key once, and nothing that is not a key', () => {
    expect(readSorts('weight,name,weight.up', KEYS)).toEqual([
      { key: 'weight', down: true },
      { key: 'name', down: false },
    ]);
    for (const wrong of ['', 'size', 'name.', 'name.sideways', "';drop", 'name,', 'toString'])
      expect(readSorts(wrong, KEYS)).toBeUndefined();
  });

  it('puts rows as sorting by the last key first and by the first key last does', () => {
    const rows = fc.array(fc.record({ name: fc.nat(3), weight: fc.nat(3), points: fc.nat(3), n: fc.nat() }));
    type Row = Record<Key | 'n', number>;
    const by = { name: 0, weight: 0, points: 0 } as unknown as Record<Key, (a: Row, b: Row) => number>;
    for (const key of KEYS) by[key] = (a, b) => a[key] - b[key];
    fc.assert(
      fc.property(sorts, rows, (s: Sort<Key>[], list) => {
        const expected = [...list];
        for (const { key, down } of [...s].reverse())
          expected.sort((a, b) => (down ? b[key] - a[key] : a[key] - b[key]));
        expect([...list].sort(compareBy(s, by))).toEqual(expected);
      }),
    );
  });
});
