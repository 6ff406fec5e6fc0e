import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { eachName, PackedNames } from './names.ts';

describe('packed names', () => {
  it('number any strings as a Map does: empty, of other scripts, of lone halves of a pair', () => {
    const text = fc.oneof(
      fc.string(),
      fc.string({ unit: 'binary' }),
      fc.array(fc.nat(0xffff)).map((units) => String.fromCharCode(...units)),
      fc.nat(400).map((n) => `i${n}`),
    );
    fc.assert(
      fc.property(fc.array(text, { maxLength: 1500, size: 'max' }), (list) => {
        const names = new PackedNames();
        const plain = new Map<string, number>();
        for (const name of list) {
          expect(names.find(name)).toBe(plain.get(name) ?? -1);
          if (!plain.has(name)) plain.set(name, plain.size);
          expect(names.of(name)).toBe(plain.get(name));
        }
        expect([...eachName(names)]).toEqual([...plain.keys()]);
        for (const [name, n] of plain) expect(names.find(name)).toBe(n);
      }),
      { numRuns: 25 },
    );
  });

  it('holds a name of ten million units, and a hundred thousand beside it', () => {
    const names = new PackedNames();
    const long = 'ö'.repeat(10_000_000);
    expect(names.of(long)).toBe(0);
    for (let i = 1; i <= 100_000; i++) names.of(`item ${i}`);
    expect(names.at(0)).toBe(long);
    expect(names.find(long)).toBe(0);
    expect(names.at(77_777)).toBe('item 77777');
  });
});
