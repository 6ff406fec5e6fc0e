import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { suggestThreshold, type Mark } from './threshold.ts';

const mark = (certainty: number, right: boolean): Mark => ({ certainty, right });

describe('the threshold that marks suggest', () => {
  it('parts right from wrong where they can be parted', () => {
    const marks = [
      mark(40, false),
      mark(45, false),
      mark(60, true),
      mark(65, true),
      mark(90, true),
      mark(95, true),
    ];
    expect(
      suggestThreshold(marks, [
        [40, 10, 9],
        [60, 10, 9],
        [90, 10, 9],
      ]),
    ).toEqual({ certainty: 50, precision: 1, recall: 1 });
  });

  it('says nothing with few marks or with one kind of them', () => {
    expect(suggestThreshold([mark(40, false), mark(90, true)], [])).toBeUndefined();
    expect(
      suggestThreshold(
        Array.from({ length: 9 }, () => mark(90, true)),
        [],
      ),
    ).toBeUndefined();
  });

  it('weighs a mark by how many matches it stands for', () => {
    const marks = [
      mark(40, true),
      mark(40, true),
      mark(40, false),
      mark(90, true),
      mark(90, true),
      mark(90, true),
    ];
    // two thirds of a great many are right: leaving them out would be amiss more often
    expect(
      suggestThreshold(marks, [
        [40, 900, 900],
        [90, 3, 3],
      ])!.certainty,
    ).toBeLessThanOrEqual(40);
    expect(
      suggestThreshold(
        marks.map((m) => ({ ...m, right: m.certainty > 50 })),
        [
          [40, 900, 900],
          [90, 3, 3],
        ],
      )!.certainty,
    ).toBeGreaterThan(40);
  });

  it('is never amiss more often than Wide, Balanced or Strict', () => {
    const marks = fc.array(
      fc.record({ certainty: fc.integer({ min: 0, max: 20 }).map((n) => n * 5), right: fc.boolean() }),
      { minLength: 6, maxLength: 30 },
    );
    fc.assert(
      fc.property(marks, (list) => {
        // one match for every mark, so that each mark weighs one
        const levels = [...new Set(list.map((m) => m.certainty))].map((c) => {
          const n = list.filter((m) => m.certainty === c).length;
          return [c, n, n] as [number, number, number];
        });
        const suggestion = suggestThreshold(list, levels);
        if (!suggestion) return;
        const amiss = (t: number): number => list.filter((m) => m.certainty >= t !== m.right).length;
        for (const t of [30, 55, 80]) expect(amiss(suggestion.certainty)).toBeLessThanOrEqual(amiss(t));
      }),
    );
  });
});
