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
});
