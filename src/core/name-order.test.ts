import fc from 'fast-check';
import { expect, it } from 'vitest';
import { nameOrder } from './name-order.ts';

const plain = new Intl.Collator('en', { numeric: true }).compare;
const part = fc.oneof(
  fc.constantFrom(
    'a',
    'A',
    'b',
    'file ',
    'File',
    'ae',
    'æ',
    'é',
    'e\u0301',
    'ß',
    'ss',
    '-',
    '_',
    '.',
    ' ',
    'ch',
    'ﬁ',
    '１',
    '٣',
  ),
  fc.stringMatching(/^[0-9]{1,18}$/),
  fc.string({ unit: 'binary', maxLength: 3 }),
);
const name = fc.array(part, { maxLength: 6 }).map((parts) => parts.join(''));

it('orders names as the collation of English does, numbers by their value', () => {
  fc.assert(
    fc.property(name, name, name, (start, a, b) => {
      expect(Math.sign(nameOrder(start + a, start + b))).toBe(plain(start + a, start + b));
    }),
    { numRuns: 20_000 },
  );
});
