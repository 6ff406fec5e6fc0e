import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { assemble } from '../../../scripts/assemble.mjs';
import { dice } from '../../../demo/make.ts';
import { roomFor } from './cells.ts';
import { CELLS_WASM } from './cells-wasm.ts';

const seeds = fc.nat();
/** Whole numbers below another, as many as wanted. */
const numbers = (d: ReturnType<typeof dice>, count: number, below: number): number[] =>
  Array.from({ length: count }, () => d.int(below));
const bitsOf = (row: ArrayLike<number>): Set<number> => {
  const set = new Set<number>();
  for (let b = 0; b < row.length * 32; b++) if ((row[b >>> 5]! >>> (b & 31)) & 1) set.add(b);
  return set;
};

describe('what cross-tabulations do by the million', () => {
  it('is what cells.wat says', async () => {
    expect((await assemble('exposure/cells')).toString('base64')).toBe(CELLS_WASM);
  });

  it('gives all of a room empty, however the one before was left', () => {
    for (const size of [100, 70_000, 3, 200_000]) {
      const room = roomFor({ one: size, two: 8 });
      expect(room.ints('one').every((n) => n === 0) && room.floats('two')[0] === 0).toBe(true);
      room.ints('one').fill(-1);
      room.floats('two').fill(1);
      expect(room.ints('one').length).toBe(size >>> 2);
    }
  });

  it('notes what is not there yet, adds to it, and forgets it', () => {
    fc.assert(
      fc.property(seeds, (seed) => {
        const d = dice(seed);
        const below = 1 + d.int(60);
        const list = numbers(d, 1 + d.int(80), below);
        const before = new Set(numbers(d, d.int(10), below));
        const { at, kernels, ints, floats } = roomFor({ list: 400, noted: 400, there: 64, into: 512 });
        ints('list').set(list);
        const bytes = new Uint8Array(ints('there').buffer, at.there, below);
        for (const n of before) bytes[n] = 1;
        const end = kernels.note(at.list, at.list + list.length * 4, at.noted, at.there);
        const noted = [...ints('noted').subarray(0, (end - at.noted) / 4)];
        expect(noted).toEqual([...new Set(list)].filter((n) => !before.has(n)));
        kernels.raise(at.list, at.list + list.length * 4, at.into, 2.5);
        for (let n = 0; n < below; n++)
          expect(floats('into')[n]).toBe(list.filter((x) => x === n).length * 2.5);
        if (noted.length) kernels.forget(at.noted, end, at.there);
        expect([...bytes].flatMap((b, n) => (b ? n : []))).toEqual([...before].sort((a, b) => a - b));
      }),
    );
  });

  it('joins what is behind places to rows, once from each bit on that its combination lists', () => {
    fc.assert(
      fc.property(seeds, fc.integer({ min: 1, max: 3 }), fc.boolean(), (seed, words, toOne) => {
        const d = dice(seed);
        const [combos, places, rows, stride] = [1 + d.int(5), 1 + d.int(5), 1 + d.int(4), 64];
        const lists = Array.from({ length: combos }, () => numbers(d, d.int(5), stride * 8 - words * 32));
        const triples = numbers(d, 1 + d.int(20), combos).map((c) => ({
          c,
          p: d.int(places),
          r: toOne ? 1 : d.int(rows),
        }));
        const { at, kernels, ints } = roomFor({
          combos: 80,
          places: 80,
          rows: 80,
          behind: 60,
          starts: 24,
          bits: 100,
          table: rows * stride + stride,
          together: 60,
        });
        const behind = ints('behind').map(() => (d.int(3) ? 0 : d.int(2 ** 32)));
        ints('behind').set(behind);
        ints('combos').set(triples.map((t) => t.c));
        ints('places').set(triples.map((t) => t.p));
        ints('rows').set(triples.map((t) => t.r));
        lists.forEach((list, c) => {
          ints('bits').set(list, ints('starts')[c]);
          ints('starts')[c + 1] = ints('starts')[c]! + list.length;
        });
        kernels.join(
          at.combos,
          at.combos + triples.length * 4,
          at.places,
          at.rows,
          toOne ? 0 : 4,
          at.behind,
          words,
          at.starts,
          at.bits,
          at.table,
          stride,
        );
        const of = (p: number): number[] => [...bitsOf(behind.subarray(p * words, (p + 1) * words))];
        for (let r = 0; r < rows; r++)
          expect(bitsOf(ints('table').subarray((r * stride) / 4, ((r + 1) * stride) / 4))).toEqual(
            new Set(
              triples
                .filter((t) => t.r === r)
                .flatMap((t) => lists[t.c]!.flatMap((from) => of(t.p).map((b) => from + b))),
            ),
          );
        kernels.gather(at.combos, at.combos + triples.length * 4, at.places, at.behind, words, at.together);
        for (let c = 0; c < combos; c++)
          expect(bitsOf(ints('together').subarray(c * words, (c + 1) * words))).toEqual(
            new Set(triples.filter((t) => t.c === c).flatMap((t) => of(t.p))),
          );
      }),
    );
  });

  it('gives a row to those of a list that are let in', () => {
    fc.assert(
      fc.property(seeds, (seed) => {
        const d = dice(seed);
        const [rows, stride] = [2 + d.int(40), 16 * (1 + d.int(4))];
        const { at, kernels, ints } = roomFor({ table: rows * stride, some: 16, list: 80, letIn: 8 });
        const table = ints('table').map(() => (d.int(4) ? 0 : d.int(2 ** 32)));
        ints('table').set(table);
        const list = numbers(d, 1 + d.int(20), rows - 1);
        ints('list').set(list);
        ints('letIn').set([d.int(2 ** 32), d.int(2 ** 32)]);
        const row = (of: Int32Array, r: number) =>
          bitsOf(of.subarray((r * stride) / 4, ((r + 1) * stride) / 4));
        const given = rows - 1;
        const end = kernels.look(at.table + given * stride, stride, at.some);
        expect([...ints('some').subarray(0, (end - at.some) / 4)]).toEqual([
          ...new Set([...row(table, given)].map((b) => Math.floor(b / 128) * 16)),
        ]);
        if (end > at.some)
          kernels.give(
            at.table + given * stride,
            at.some,
            end,
            at.list,
            at.list + list.length * 4,
            at.letIn,
            at.table,
            stride,
          );
        for (let r = 0; r < rows; r++) {
          const gets = list.includes(r) && bitsOf(ints('letIn')).has(r);
          expect(row(ints('table'), r)).toEqual(
            new Set([...row(table, r), ...(gets ? row(table, given) : [])]),
          );
        }
      }),
    );
  });

  it('turns rows of bits into the sets of cells, totals them over each dimension and counts them', () => {
    fc.assert(
      fc.property(
        seeds,
        fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 3 }),
        (seed, sizes) => {
          const d = dice(seed);
          const cells = sizes.reduce((n, s) => n * (s + 1), 1);
          /** The cells that are no totals, in any order. */
          const leaves = [...Array(cells).keys()].filter((c) => {
            for (const s of [...sizes].reverse()) {
              if (c % (s + 1) === s) return false;
              c = Math.floor(c / (s + 1));
            }
            return true;
          });
          for (let k = leaves.length - 1; k > 0; k--) {
            const other = d.int(k + 1);
            [leaves[k], leaves[other]] = [leaves[other]!, leaves[k]!];
          }
          const words = Math.ceil(leaves.length / 128) * 4;
          const { at, kernels, ints } = roomFor({
            rows: 256 * words * 4,
            cellOf: words * 128,
            square: 512,
            here: cells * 16 + 16,
            counts: cells * 4,
          });
          ints('cellOf').fill(cells * 16);
          ints('cellOf').set(leaves.map((c) => c * 16));
          const isIn = Array.from({ length: 256 }, () => leaves.map(() => d.int(6) === 0));
          isIn.forEach((row, i) =>
            row.forEach((yes, n) => yes && (ints('rows')[i * words + (n >>> 5)]! |= 1 << (n & 31))),
          );
          for (const first of [0, 128]) {
            const any = kernels.turn(at.rows + first * words * 4, words * 4, at.cellOf, at.here, at.square);
            expect(any === 1).toBe(isIn.slice(first, first + 128).some((row) => row.includes(true)));
            let block = cells * 16;
            for (const size of sizes) kernels.total(at.here, at.here + cells * 16, size, (block /= size + 1));
            kernels.count(at.here, at.here + cells * 16, at.counts);
            expect(ints('here').every((n) => n === 0)).toBe(true);
          }
          /** Whether a cell that is no total is in a cell. */
          const within = (leaf: number, cell: number): boolean =>
            [...sizes].reverse().every((s) => {
              const [a, b] = [leaf % (s + 1), cell % (s + 1)];
              [leaf, cell] = [Math.floor(leaf / (s + 1)), Math.floor(cell / (s + 1))];
              return b === s || a === b;
            });
          for (let c = 0; c < cells; c++)
            expect(ints('counts')[c]).toBe(
              isIn.filter((row) => leaves.some((leaf, n) => row[n] && within(leaf, c))).length,
            );
        },
      ),
      { numRuns: 40 },
    );
  });
});
