import fc from 'fast-check';
import { expect, it } from 'vitest';
import { parseJson } from './json.ts';

it('JSON from outside is read as it is, unless it is nested deeper than any row', () => {
  fc.assert(
    fc.property(fc.json({ maxDepth: 6 }), (text) => {
      expect(parseJson(text)).toEqual(JSON.parse(text));
    }),
  );
  const nested = (depth: number, open = '[', close = ']'): string => open.repeat(depth) + close.repeat(depth);
  expect(parseJson(nested(100))).toBeDefined();
  for (const deep of [
    nested(101),
    nested(200_000),
    nested(150, '{"a":[', ']}'),
    // broken too: it is not looked at further
    '['.repeat(200_000),
  ])
    expect(() => parseJson(deep)).toThrow('nested more than 100 deep');
  // wide is not deep, nor are brackets in texts
  expect(parseJson(JSON.stringify(Array.from({ length: 5000 }, () => [{}])))).toHaveLength(5000);
  expect(parseJson(JSON.stringify({ a: `${'['.repeat(500)}"\\`, b: '{'.repeat(500) }))).toMatchObject({});
});
