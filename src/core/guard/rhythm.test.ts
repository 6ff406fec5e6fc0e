import fc from 'fast-check';
import rrule from 'rrule';
import { Temporal } from 'temporal-polyfill';
import { describe, expect, it } from 'vitest';
import { nextOf, wrongRhythm } from './rhythm.ts';

describe('a rhythm', () => {
  it('is a rule of RFC 5545 that comes at most once a day', () => {
    for (const right of [
      'FREQ=DAILY',
      'FREQ=DAILY;BYHOUR=5;BYMINUTE=30',
      'FREQ=WEEKLY;BYDAY=MO,FR',
      'FREQ=MONTHLY;BYMONTHDAY=-1',
      'FREQ=YEARLY;BYMONTH=1;BYDAY=1MO',
    ])
      expect(wrongRhythm(right)).toBeUndefined();
    for (const wrong of [
      '',
      'daily',
      'FREQ=HOURLY',
      'FREQ=SECONDLY',
      'FREQ=DAILY;BYHOUR=5,6',
      'FREQ=DAILY;BYMINUTE=1,2',
      'FREQ=DAILY;BYSECOND=1',
      'FREQ=DAILY;COUNT=3',
      'FREQ=DAILY;FREQ=WEEKLY',
      'FREQ=WEEKLY;BYDAY=XX',
      'FREQ=DAILY;INTERVAL=0',
      'FREQ=DAILY;BYHOUR=25',
      'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30',
    ])
      expect(wrongRhythm(wrong), wrong).toMatch(/\.$/);
  });

  // RFC 5545 §3.8.5.3 has weekly, monthly and yearly rules of these forms; the days follow from a calendar
  it.each([
    ['FREQ=DAILY;BYHOUR=5', '2026-11-29T04:59:00Z', '2026-11-29T05:00:00Z'],
    ['FREQ=DAILY;BYHOUR=5', '2026-11-29T05:00:00Z', '2026-11-30T05:00:00Z'],
    ['FREQ=WEEKLY', '2026-11-29T05:00:00Z', '2026-11-30T00:00:00Z'],
    ['FREQ=WEEKLY;BYDAY=FR;BYHOUR=17;BYMINUTE=30', '2026-11-29T00:00:00Z', '2026-12-04T17:30:00Z'],
    ['FREQ=MONTHLY;BYMONTHDAY=-1', '2028-02-01T00:00:00Z', '2028-02-29T00:00:00Z'],
    ['FREQ=MONTHLY;BYDAY=MO;BYSETPOS=1', '2026-12-08T00:00:00Z', '2027-01-04T00:00:00Z'],
  ])('%s comes after %s at %s', (rhythm, after, next) => {
    expect(nextOf(rhythm, new Date(after))).toEqual(new Date(next));
  });

  it('comes as it does where every time since rhythms are counted is gone through', () => {
    const rhythm = fc.record({
      freq: fc.constantFrom(
        'DAILY',
        'WEEKLY',
        'WEEKLY;BYDAY=MO,FR',
        'WEEKLY;BYDAY=SU;WKST=SU',
        'MONTHLY',
        'MONTHLY;BYMONTHDAY=-1,15',
        'YEARLY',
        'YEARLY;BYMONTH=3;BYDAY=2TU',
      ),
      interval: fc.integer({ min: 1, max: 5 }),
      hour: fc.integer({ min: 0, max: 23 }),
    });
    fc.assert(
      fc.property(rhythm, fc.integer({ min: -100, max: 1500 }), ({ freq, interval, hour }, day) => {
        const text = `FREQ=${freq};INTERVAL=${interval};BYHOUR=${hour};BYMINUTE=0`;
        const start = new Date('2024-01-01T00:00:00Z');
        const after = new Date(start.getTime() + day * 86_400_000 + 43_200_000);
        const whole = new rrule.RRule({ ...rrule.RRule.parseString(text), dtstart: start });
        expect(nextOf(text, after)).toEqual(whole.after(after));
      }),
      { numRuns: 150 },
    );
  });

  it('goes by the clock of a time zone, on nights when it changes too (Temporal, disambiguation “compatible”)', () => {
    const zones = [
      'Europe/Oslo',
      'America/New_York',
      'Australia/Lord_Howe',
      'Asia/Kathmandu',
      'Pacific/Apia',
      'UTC',
    ];
    const minute = fc.record({
      zone: fc.constantFrom(...zones),
      hour: fc.integer({ min: 0, max: 23 }),
      minute: fc.constantFrom(0, 15, 30, 45),
      // the clocks of Oslo change on 2026-03-29 and 2026-10-25, those of New York on 2026-03-08 and 2026-11-01
      day: fc.constantFrom(
        '2026-03-07',
        '2026-03-28',
        '2026-04-04',
        '2026-10-03',
        '2026-10-24',
        '2026-10-31',
        '2026-06-01',
      ),
    });
    fc.assert(
      fc.property(minute, ({ zone, hour, minute: min, day }) => {
        const midnight = Temporal.PlainDate.from(day).toZonedDateTime(zone);
        let at = new Date(midnight.epochMilliseconds - 1);
        for (let n = 0; n < 3; n++) {
          const wanted = midnight
            .toPlainDate()
            .add({ days: n })
            .toZonedDateTime({ timeZone: zone, plainTime: { hour, minute: min } });
          at = nextOf(`FREQ=DAILY;BYHOUR=${hour};BYMINUTE=${min}`, at, zone)!;
          expect(at.toISOString()).toBe(new Date(wanted.epochMilliseconds).toISOString());
        }
      }),
      { numRuns: 600 },
    );
  });
});
