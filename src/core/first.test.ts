import fc from 'fast-check';
import { expect, it } from 'vitest';
import { firstOf } from './first.ts';

it('keeps the first ones of a list as sorting all of it would', () => {
  fc.assert(
    fc.property(fc.array(fc.nat(40), { maxLength: 300 }), fc.nat(320), (values, count) => {
      const order = (a: number, b: number): number => values[a]! - values[b]! || a - b;
      const list = [...values.keys()];
      expect(firstOf([...list].reverse(), order, count)).toEqual(list.sort(order).slice(0, count));
    }),
  );
});
