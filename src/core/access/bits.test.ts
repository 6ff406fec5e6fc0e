import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { assemble } from '../../../scripts/assemble.mjs';
import { dice } from '../../../demo/make.ts';
import {
  add,
  anyBoth,
  Arena,
  bitsFor,
  countBoth,
  forEachBoth,
  has,
  intersect,
  union,
  unionMany,
  type Bits,
} from './bits.ts';
import { BITS_WASM } from './bits-wasm.ts';

/** Two arenas: one whose sets are worked on together, and one that is full and gives plain ones. */
const made = fc.record({ size: fc.integer({ min: 1, max: 9000 }), seed: fc.nat(), shorter: fc.nat(300) });
const numbers = (set: Bits): number[] => {
  const list: number[] = [];
  forEachBoth(set, set, (i) => list.push(i));
  return list;
};

describe('sets', () => {
  it('of an arena and plain ones are counted, each so many times', () => {
    fc.assert(
      fc.property(made, ({ size, seed }) => {
        for (const arena of [new Arena(size, 80), new Arena(size, 40), new Arena(size, 0)]) {
          const d = dice(seed);
          // what was counted before is gone
          arena.counts(0).add(arena.make(), 3);
          const counts = [arena.counts(0), arena.counts(1)];
          const wanted = counts.map(() => new Int32Array(size).fill(7));
          for (let k = 0; k < 12; k++) {
            const set = arena.make();
            const which = d.int(2);
            const times = d.chance(0.2) ? 2 ** 20 + d.int(1000) : d.int(9);
            for (let n = d.int(size); n > 0; n--) add(set, d.int(size));
            counts[which]!.add(set, times);
            forEachBoth(set, set, (i) => (wanted[which]![i]! += times));
          }
          counts.forEach((c, n) => {
            const column = new Int32Array(size).fill(7);
            c.addTo(column);
            expect(column).toEqual(wanted[n]);
          });
        }
      }),
      { numRuns: 40 },
    );
  });

  it('are worked on by what bits.wat says', async () => {
    expect((await assemble('access/bits')).toString('base64')).toBe(BITS_WASM);
  });

  it('of an arena and plain ones are what sets of numbers are, of any length', () => {
    fc.assert(
      fc.property(made, ({ size, seed, shorter }) => {
        for (const arena of [new Arena(size, 20), new Arena(size, 0)]) {
          const d = dice(seed);
          const length = Math.max(1, size - shorter);
          const take = (below: number): { bits: Bits; set: Set<number> } => {
            const bits = arena.make(below);
            const set = new Set<number>();
            for (let k = d.int(1 + Math.floor(below / 2)); k > 0; k--) {
              const i = d.int(below);
              add(bits, i);
              set.add(i);
            }
            expect(numbers(bits)).toEqual([...set].sort((a, b) => a - b));
            return { bits, set };
          };
          const a = take(size);
          const b = take(length);
          const c = take(size);
          expect(countBoth(a.bits, c.bits)).toBe([...a.set].filter((i) => c.set.has(i)).length);
          expect(anyBoth(a.bits, b.bits)).toBe([...b.set].some((i) => a.set.has(i)));
          const from = d.int(size);
          const to = from + d.int(size - from + 1);
          const among = arena.make();
          for (let i = from; i < to; i++) add(among, i);
          expect(countBoth(a.bits, among, from, to)).toBe(
            [...a.set].filter((i) => i >= from && i < to).length,
          );
          union(a.bits, b.bits);
          expect(numbers(a.bits)).toEqual([...new Set([...a.set, ...b.set])].sort((x, y) => x - y));
          intersect(a.bits, c.bits);
          expect(numbers(a.bits)).toEqual(
            [...new Set([...a.set, ...b.set])].filter((i) => c.set.has(i)).sort((x, y) => x - y),
          );
          const many = Array.from({ length: d.int(10) }, () => take(length));
          const all = arena.borrow();
          unionMany(
            all,
            many.map((m) => m.bits),
          );
          expect(numbers(all)).toEqual([...new Set(many.flatMap((m) => [...m.set]))].sort((x, y) => x - y));
          // what lies beside a set is left alone
          expect(numbers(b.bits)).toEqual([...b.set].sort((x, y) => x - y));
          arena.giveBack(all);
          expect(numbers(arena.borrow())).toEqual([]);
          for (let i = 0; i < size; i += 97) expect(has(c.bits, i)).toBe(c.set.has(i));
        }
      }),
      { numRuns: 200 },
    );
  });

  it('of two arenas, or of an arena and none, can be put together', () => {
    const [one, two] = [new Arena(5000, 2), new Arena(5000, 2)];
    const sets = [one.make(), two.make(), bitsFor(5000)] as const;
    sets.forEach((s, k) => add(s, 4000 + k));
    for (const into of sets) unionMany(into, [...sets, ...sets]);
    for (const s of sets) expect(numbers(s)).toEqual([4000, 4001, 4002]);
  });
});
