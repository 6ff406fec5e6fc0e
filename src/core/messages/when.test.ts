/** When messages go out. */
import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { describe, expect, it } from 'vitest';
import { SEVERITIES } from '../exposure/exposure.ts';
import { dueOf, GATHER_NAMES, MOST_AN_HOUR, type Wish } from './when.ts';

const NOW = new Date('2026-03-10T10:20:00Z');
const wish = (more: Partial<Wish> = {}): Wish => ({
  gather: 'four-hourly',
  zone: 'UTC',
  quiet: null,
  ...more,
});
const due = (...of: Parameters<typeof dueOf>): string =>
  dueOf(...of)
    .due.toISOString()
    .slice(11, 16);

describe('a message', () => {
  it('that is urgent comes at once, and what is not with others', () => {
    expect(dueOf({ severity: 'high' }, wish(), NOW, 0)).toEqual({ due: NOW, gathered: false });
    expect(due({ severity: 'medium' }, wish(), NOW, 0)).toBe('12:00');
    expect(due({ severity: 'high', gathered: true }, wish(), NOW, 0)).toBe('12:00');
    expect(due({ severity: 'low' }, wish({ gather: 'hourly' }), NOW, 0)).toBe('11:00');
    expect(dueOf({ severity: 'low' }, wish({ gather: 'at-once' }), NOW, 0).gathered).toBe(false);
    expect(dueOf({ severity: 'low' }, wish({ gather: 'daily' }), NOW, 0).due.toISOString()).toBe(
      '2026-03-11T08:00:00.000Z',
    );
  });

  it('is gathered with others where very many come, urgent or not', () => {
    expect(due({ severity: 'critical' }, wish(), NOW, MOST_AN_HOUR)).toBe('11:00');
  });

  it('waits for the morning, unless it is critical', () => {
    const quiet = wish({ gather: 'at-once', quiet: { from: 20, until: 7 } });
    const night = new Date('2026-03-10T22:30:00Z');
    expect(dueOf({ severity: 'high' }, quiet, night, 0).due.toISOString()).toBe('2026-03-11T07:00:00.000Z');
    expect(dueOf({ severity: 'critical' }, quiet, night, 0)).toEqual({ due: night, gathered: false });
  });

  it('is never due in the past, never more than two days off, and at a full hour of the reader’s clock', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: Date.UTC(2026, 0), max: Date.UTC(2027, 0) }),
        fc.constantFrom(...SEVERITIES),
        fc.constantFrom(...GATHER_NAMES),
        fc.constantFrom('UTC', 'Europe/Oslo', 'America/New_York', 'Asia/Kathmandu'),
        fc.option(
          fc.record({ from: fc.integer({ min: 0, max: 23 }), until: fc.integer({ min: 0, max: 23 }) }),
          { nil: null },
        ),
        fc.integer({ min: 0, max: 9 }),
        (at, severity, gather, zone, quiet, lately) => {
          const now = new Date(at);
          const { due: then, gathered } = dueOf({ severity }, { gather, zone, quiet }, now, lately);
          expect(then.getTime()).toBeGreaterThanOrEqual(at);
          expect(then.getTime() - at).toBeLessThan(2 * 86_400_000 + 3_600_000);
          if (!gathered) expect(then).toEqual(now);
          else
            expect(
              Temporal.Instant.fromEpochMilliseconds(then.getTime()).toZonedDateTimeISO(zone).minute,
            ).toBe(0);
        },
      ),
      { numRuns: 1000 },
    );
  });
});
