/** Rounds are spread so that nobody is asked about too much, and what is most exposed comes first. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { wavesOf, type ToAsk } from './waves.ts';

const space = fc.record({
  people: fc.uniqueArray(fc.constantFrom('ada', 'bo', 'cy', 'di', 'ed'), { minLength: 1, maxLength: 3 }),
  n: fc.integer({ min: 1, max: 30 }),
  points: fc.integer({ min: 0, max: 9 }),
});
const spread = fc.record({ most: fc.integer({ min: 1, max: 40 }), weeks: fc.integer({ min: 1, max: 8 }) });

/** What each person is asked in each week, gone through plainly. */
function loads(spaces: readonly ToAsk[], weeks: readonly number[]): Map<string, number[]> {
  const all = new Map<string, number[]>();
  spaces.forEach((s, k) => {
    for (const p of s.people) all.set(`${p} ${weeks[k]}`, [...(all.get(`${p} ${weeks[k]}`) ?? []), s.n]);
  });
  return all;
}

describe('a round', () => {
  it('asks nobody about more than is bearable in one week, unless one space alone has more', () => {
    fc.assert(
      fc.property(fc.array(space, { maxLength: 30 }), spread, (spaces, how) => {
        for (const list of loads(spaces, wavesOf(spaces, how)).values())
          expect(list.length === 1 || list.reduce((a, b) => a + b) <= how.most).toBe(true);
      }),
      { numRuns: 500 },
    );
  });

  it('asks about each space once, and of one person what is more exposed never later than what is as large and less', () => {
    fc.assert(
      fc.property(fc.array(space, { maxLength: 30 }), spread, (spaces, how) => {
        const weeks = wavesOf(spaces, how);
        expect(weeks.every((w) => Number.isInteger(w) && w >= 0)).toBe(true);
        expect(weeks).toHaveLength(spaces.length);
        spaces.forEach((a, i) =>
          spaces.forEach((b, j) => {
            const alike = a.n === b.n && String([...a.people].sort()) === String([...b.people].sort());
            if (alike && a.points > b.points) expect(weeks[i]).toBeLessThanOrEqual(weeks[j]!);
          }),
        );
      }),
      { numRuns: 500 },
    );
  });

  it('takes a share of all each week where it is spread, and one week where everybody can bear it', () => {
    const spaces = Array.from({ length: 12 }, (_, k) => ({ people: [`p${k}`], n: 10, points: k }));
    const weeks = wavesOf(spaces, { most: 40, weeks: 4 });
    for (const w of [0, 1, 2, 3]) expect(weeks.filter((x) => x === w)).toHaveLength(3);
    expect(weeks[11]).toBe(0);
    expect(weeks[0]).toBe(3);
    expect(new Set(wavesOf(spaces, { most: 40, weeks: 1 }))).toEqual(new Set([0]));
  });
});
