import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { advise, allocate, precisionOf, wilson, type HitMark } from './marks.ts';

describe('the interval of a share', () => {
  it('is as published: R. G. Newcombe, Statistics in Medicine 17 (1998), table I, method 3 (from memory)', () => {
    const published: [number, number, number, number][] = [
      [81, 263, 0.2553, 0.3662],
      [15, 148, 0.0624, 0.1605],
      [0, 20, 0, 0.1611],
      [1, 29, 0.0061, 0.1718],
    ];
    for (const [right, of, low, high] of published) {
      const [a, b] = wilson(right, of);
      expect(a).toBeCloseTo(low, 4);
      expect(b).toBeCloseTo(high, 4);
    }
  });

  it('solves the equation that it is made by, holds the share, and is the same from either side', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 400 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (of, share) => {
          const right = Math.round(share * of);
          const [low, high] = wilson(right, of);
          const p = right / of;
          expect(low).toBeLessThanOrEqual(p + 1e-12);
          expect(high).toBeGreaterThanOrEqual(p - 1e-12);
          for (const edge of [low, high])
            // (p − π)² = z² π (1 − π) / n
            expect((p - edge) ** 2).toBeCloseTo((1.959963984540054 ** 2 * edge * (1 - edge)) / of, 10);
          const [a, b] = wilson(of - right, of);
          expect([1 - b, 1 - a].map((x) => x.toFixed(10))).toEqual([low, high].map((x) => x.toFixed(10)));
        },
      ),
    );
    expect(wilson(0, 0)).toEqual([0, 1]);
  });
});

describe('a sample', () => {
  it('has as many as asked for, some of each stratum, and no more of one than there are', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 500 }), { minLength: 1, maxLength: 10 }),
        fc.integer({ min: 10, max: 60 }),
        (sizes, total) => {
          const all = sizes.reduce((a, b) => a + b, 0);
          const got = allocate(sizes, total);
          expect(got.reduce((a, b) => a + b, 0)).toBeLessThanOrEqual(
            Math.max(total, sizes.length) + sizes.length,
          );
          expect(got.reduce((a, b) => a + b, 0)).toBeGreaterThanOrEqual(Math.min(total, all));
          got.forEach((n, k) => {
            expect(n).toBeGreaterThanOrEqual(1);
            expect(n).toBeLessThanOrEqual(sizes[k]!);
          });
        },
      ),
    );
    expect(allocate([90, 10], 10)).toEqual([9, 1]);
    expect(allocate([999, 1], 10)).toEqual([9, 1]);
  });

  const mark = (stratum: string, certainty: number | null, right: boolean): HitMark => ({
    stratum,
    certainty,
    right,
  });

  it('speaks for its stratum: what is marked more often than its share counts no more', () => {
    const marks = [
      ...Array.from({ length: 5 }, () => mark('a', 90, true)),
      ...Array.from({ length: 5 }, () => mark('b', 40, false)),
    ];
    expect(precisionOf(marks, { a: 90, b: 10 })!.share).toBeCloseTo(0.9);
    expect(precisionOf(marks, { a: 10, b: 90 })!.share).toBeCloseTo(0.1);
    expect(precisionOf([], {})).toBeUndefined();
  });

  it('tells from which certainty a rule is good enough, and what that misses', () => {
    const marks = [
      ...[40, 40, 50].map((c) => mark('a', c, false)),
      mark('a', 50, true),
      ...[70, 70, 80, 90].map((c) => mark('b', c, true)),
    ];
    const sizes = { a: 40, b: 40 };
    expect(advise(marks, sizes, 0.9)).toMatchObject({
      certainty: 70,
      share: 1,
      hits: 40,
      missed: 10,
      marks: 4,
    });
    expect(advise(marks, sizes, 0.5)).toMatchObject({ certainty: 40, missed: 0 });
    expect(advise(marks.slice(0, 5), sizes, 0.9)).toBeUndefined();
    expect(
      advise(
        marks.map((m) => ({ ...m, right: false })),
        sizes,
        0.9,
      ),
    ).toBeUndefined();
    expect(
      advise(
        marks.map((m) => ({ ...m, certainty: null })),
        sizes,
        0.9,
      ),
    ).toBeUndefined();
  });

  it('comes to the same by certainty as counting does (random marks)', () => {
    const any = fc.record({
      stratum: fc.constant('all'),
      certainty: fc.integer({ min: 0, max: 100 }),
      right: fc.boolean(),
    });
    fc.assert(
      fc.property(
        fc.array(any, { minLength: 6, maxLength: 40 }),
        fc.constantFrom(0.5, 0.8, 0.95),
        (marks, wanted) => {
          const advice = advise(marks, { all: marks.length }, wanted);
          const good = (from: number): boolean => {
            const left = marks.filter((m) => m.certainty >= from);
            return left.length > 0 && left.filter((m) => m.right).length / left.length >= wanted - 1e-9;
          };
          const first = marks
            .map((m) => m.certainty)
            .filter(good)
            .sort((a, b) => a - b)[0];
          expect(advice?.certainty).toBe(first);
          if (first !== undefined)
            expect(advice!.missed).toBeCloseTo(marks.filter((m) => m.certainty < first && m.right).length);
        },
      ),
    );
  });
});
