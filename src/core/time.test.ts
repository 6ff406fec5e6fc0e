import { parseISO } from 'date-fns';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { momentOf } from './time.ts';

describe('a time', () => {
  it('is read as the examples of RFC 3339 §5.8 say', () => {
    expect(momentOf('1985-04-12T23:20:50.52Z')).toBe(Date.UTC(1985, 3, 12, 23, 20, 50, 520));
    expect(momentOf('1996-12-19T16:39:57-08:00')).toBe(Date.UTC(1996, 11, 20, 0, 39, 57));
    expect(momentOf('1990-12-31T23:59:60Z')).toBe(Date.UTC(1991, 0, 1));
    expect(momentOf('1990-12-31T15:59:60-08:00')).toBe(Date.UTC(1991, 0, 1));
    expect(momentOf('1937-01-01T12:00:27.87+00:20')).toBe(Date.UTC(1937, 0, 1, 11, 40, 27, 870));
  });

  it('is none where there is no such day or time, or it is written in another way', () => {
    for (const text of [
      '5',
      '',
      'soon',
      '2026-02-30',
      '2026-02-30T00:00:00Z',
      '2025-02-29T00:00:00Z',
      '2026-13-01',
      '2026-00-10',
      '2026-01-00',
      '2026-01-01T24:00:00Z',
      '2026-01-01T00:00:00',
      '2026-01-01 00:00:00Z',
      '2026-01-01T00:00Z',
      '20260101T000000Z',
      '2026-01-01T00:00:00+24:00',
      '+002026-01-01T00:00:00Z',
    ])
      expect(momentOf(text), text).toBeNaN();
  });

  it('is what date-fns makes of it, for any day and time that can be written', () => {
    const two = (max: number) => fc.integer({ min: 0, max }).map((n) => String(n).padStart(2, '0'));
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 9999 }).map((y) => String(y).padStart(4, '0')),
        two(13),
        two(32),
        two(23),
        two(59),
        two(59),
        fc.constantFrom('Z', '+02:00', '-11:30', '+00:00'),
        (y, mo, d, h, mi, s, zone) => {
          const text = `${y}-${mo}-${d}T${h}:${mi}:${s}${zone}`;
          expect(momentOf(text)).toBe(parseISO(text).getTime());
        },
      ),
      { numRuns: 2000 },
    );
  });
});
