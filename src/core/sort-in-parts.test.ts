import fc from 'fast-check';
import { expect, it } from 'vitest';
import { sortInParts } from './sort-in-parts.ts';

it('is sorted as a list is, those that stand alike as they were', () => {
  fc.assert(
    fc.property(fc.nat(40_000), fc.integer({ min: 1, max: 50_000 }), fc.nat(), (length, below, seed) => {
      const values = Int32Array.from({ length }, (_, n) => (Math.imul(n + seed, 2654435761) >>> 8) % below);
      const order = (a: number, b: number): number => values[a]! - values[b]!;
      const parts = sortInParts(
        Int32Array.from(values, (_, n) => n),
        order,
      );
      let stretches = 0;
      for (;;) {
        const part = parts.next();
        if (!part.done) {
          stretches++;
          continue;
        }
        expect([...part.value]).toEqual([...values.keys()].sort(order));
        break;
      }
      expect(stretches).toBeGreaterThanOrEqual(Math.ceil(length / 8192));
    }),
    { numRuns: 60 },
  );
});
