import fc from 'fast-check';
import { expect, it } from 'vitest';
import { ownPath } from './_own-path.ts';

it('a way back after signing in leads to a page of our own, or to the first', () => {
  expect(ownPath('/remedy/plans?plan=3&where=a%20b#x')).toBe('/remedy/plans?plan=3&where=a%20b#x');
  for (const elsewhere of [
    null,
    '',
    'https://evil.example/',
    '//evil.example/',
    '/\t/evil.example',
    '/\n/evil.example',
    '\t//evil.example',
    '/\\evil.example',
    '\\\\evil.example',
    '/.//evil.example',
    '/x/..//evil.example',
    'javascript:alert(1)',
    'remedy/plans',
    '//',
    '/\u0000/evil.example',
  ])
    expect(new URL(ownPath(elsewhere), 'https://lantern.example').origin, elsewhere ?? '').toBe(
      'https://lantern.example',
    );
  // whatever it is, a browser that follows the answer stays here (WHATWG URL, as Node reads it)
  const hostile = fc
    .array(
      fc.constantFrom('/', '\\', '\t', '\r', '\n', '.', '..', '@', ':', 'evil.example', '%09', '?', '#', ' '),
      {
        maxLength: 8,
      },
    )
    .map((p) => p.join(''));
  fc.assert(
    fc.property(hostile, (wanted) => {
      expect(new URL(ownPath(wanted), 'https://lantern.example').origin).toBe('https://lantern.example');
    }),
    { numRuns: 2000 },
  );
});
