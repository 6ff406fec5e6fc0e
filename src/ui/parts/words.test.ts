import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { CAPABILITIES } from '../../core/model.ts';
import { CHANGE_STATE_NAMES, PLAN_STATE_NAMES } from '../../core/remedy/states.ts';
import { inScope } from '../frame/url.ts';
import {
  ago,
  dayOf,
  dayWords,
  duration,
  exactly,
  localMinute,
  momentOfMinute,
  useDates,
  whenWords,
} from './dates.ts';
import { orderIn, pressed } from './table/inUrl.ts';
import { deedWords } from './deed-words.ts';
import { bytesWords, canWords, CHANGE_WORDS, PLAN_WORDS, slug } from './words.ts';

describe('the ledger in words', () => {
  it('has words for everything that services write', () => {
    const sources = (readdirSync('src/services', { recursive: true }) as string[])
      .filter((f) => f.endsWith('.ts') && !f.endsWith('.test.ts'))
      .map((f) => readFileSync(join('src/services', f), 'utf8'));
    const written = sources
      .flatMap((s) => s.match(/^.*\bwhat: .*$/gm) ?? [])
      .flatMap((line) => [...line.matchAll(/'([a-z-]+(?:\.[a-z-]+)+)'/g)].map((m) => m[1]!))
      .filter((what) => what !== 'plan.');
    const states = [
      // a change that waits has no entry of its own, and nobody asks for a plan that is one already
      ...CHANGE_STATE_NAMES.filter((s) => s !== 'planned' && s !== 'undo-planned').map(
        (s) => `plan.change.${s}`,
      ),
      ...PLAN_STATE_NAMES.map((s) => `plan.${s}`),
      ...['paused', 'cancelled', 'resumed'].map((s) => `plan.${s}`),
      ...['done', 'failed', 'cancelled', 'interrupted'].map((s) => `survey.${s}`),
      ...['accept', 'reopen', 'give', 'note'].map((s) => `findings.${s}`),
    ];
    expect(written.length).toBeGreaterThan(25);
    expect([...new Set([...written, ...states])].filter((what) => deedWords(what) === what)).toEqual([]);
    for (const words of [...Object.values(PLAN_WORDS), ...Object.values(CHANGE_WORDS)])
      expect(words).not.toBe('');
  });
});

describe('sizes and names in words', () => {
  it('give a size within half of the last digit, never a thousand of a smaller unit', () => {
    const units = ['B', 'kB', 'MB', 'GB', 'TB'];
    fc.assert(
      fc.property(fc.nat({ max: 2 ** 53 - 1 }), (n) => {
        const [number, unit] = bytesWords(n).split(' ') as [string, string];
        const scale = 1000 ** units.indexOf(unit);
        if (unit !== 'TB') expect(Number(number)).toBeLessThan(1000);
        if (unit !== 'B') expect(Number(number)).toBeGreaterThanOrEqual(1);
        expect(Math.abs(Number(number) * scale - n)).toBeLessThanOrEqual(scale * 0.0501);
      }),
    );
    expect([0, 999, 1000, 999_960, 1_500_000].map(bytesWords)).toEqual([
      '0 B',
      '999 B',
      '1.0 kB',
      '1.0 MB',
      '1.5 MB',
    ]);
  });

  it('say the most that somebody can do, and whether search finds it', () => {
    fc.assert(
      fc.property(fc.subarray([...CAPABILITIES]), (can) => {
        const words = canWords(can);
        expect(words.startsWith('owns')).toBe(can.includes('delete'));
        expect(words === 'nothing').toBe(
          !['delete', 'manage', 'edit', 'comment', 'open'].some((c) => can.includes(c as 'open')),
        );
        expect(words.endsWith('not found by search')).toBe(can.includes('open') && !can.includes('find'));
      }),
    );
  });

  it('make an id of any name, the same of what is an id already', () => {
    fc.assert(
      fc.property(fc.string(), (name) => {
        expect(slug(name)).toMatch(/^(?:[a-z0-9](?:[a-z0-9-]{0,47}))?$/);
        expect(slug(slug(name))).toBe(slug(name).replace(/-$/, ''));
      }),
    );
    expect(slug('Årsrapport & “Løn” 2026')).toBe('arsrapport-l-n-2026');
  });
});

describe('dates in words', () => {
  const now = new Date(2026, 2, 2, 9, 30);
  it('leave out what goes without saying', () => {
    const at = (...parts: [number, number, number, number, number]) => new Date(...parts).toISOString();
    expect(whenWords(at(2026, 0, 5, 7, 4), now)).toBe('5 Jan, 07:04');
    expect(whenWords(at(2025, 11, 31, 23, 59), now)).toBe('31 Dec 2025, 23:59');
    expect(ago(at(2026, 2, 2, 9, 0), now)).toBe('30 minutes ago');
    expect(ago(at(2026, 2, 4, 9, 30), now)).toBe('in 2 days');
  });

  it('are in the language and the zone that the reader chose (CLDR names; offsets of the IANA database)', () => {
    const at = '2026-07-01T22:30:00Z';
    try {
      useDates({ language: 'de-DE', zone: 'Asia/Tokyo' });
      // nine hours on it is the next day
      expect(dayWords(at, new Date(at))).toBe('2. Juli');
      expect(whenWords(at, new Date('2026-07-02T03:00:00Z'))).toBe('heute 07:30');
      expect(exactly(at)).toContain('GMT+09:00');
      expect(dayOf(new Date(at))).toBe('2026-07-02');
      useDates({ language: 'nb-NO', zone: 'Europe/Oslo' });
      // summer time and not
      expect(momentOfMinute('2026-07-01T12:00')).toBe('2026-07-01T10:00:00.000Z');
      expect(momentOfMinute('2026-12-01T12:00')).toBe('2026-12-01T11:00:00.000Z');
      expect(localMinute('2026-07-01T10:00:00Z')).toBe('2026-07-01T12:00');
      expect(momentOfMinute('')).toBe('');
    } finally {
      useDates(undefined);
    }
  });

  it('say how long something took in the unit that tells', () => {
    const from = now.toISOString();
    const after = (ms: number) => duration(from, new Date(now.getTime() + ms).toISOString());
    expect([400, 9_940, 61_000, 125_000, 3 * 3_600_000 + 60_000].map(after)).toEqual([
      '0.4 s',
      '9.9 s',
      '61 s',
      '2 min 5 s',
      '3 h 1 min',
    ]);
    expect(duration(null, null)).toBe('');
    expect(duration(from, null, new Date(now.getTime() + 2000))).toBe('2.0 s');
  });

  it('come back from a box for a time as they went in, to the minute', () => {
    fc.assert(
      fc.property(fc.date({ min: new Date(2000, 0), max: new Date(2100, 0), noInvalidDate: true }), (d) => {
        const minute = new Date(new Date(d).setSeconds(0, 0));
        // in the hour that a clock goes through twice, the first of the two is meant
        const back = new Date(localMinute(minute));
        expect([0, 3_600_000, 1_800_000]).toContain(Math.abs(back.getTime() - minute.getTime()));
      }),
    );
  });
});

describe('the order of a table in the address', () => {
  const at = (search: string) => {
    const params = new URLSearchParams(search);
    const sets: Record<string, string | undefined>[] = [];
    return { sets, ...orderIn(params, (change) => void sets.push(change), 'points') };
  };
  it('is the usual one where none stands there, and is left out when it is chosen again', () => {
    expect(at('').sort).toBe('points.down');
    const { order, sets } = at('sort=weight.down,name.up');
    expect(order.sorting.map((s) => s.key)).toEqual(['weight', 'name']);
    order.onSort([{ key: 'points', down: true }]);
    order.onSort([{ key: 'name', down: false }]);
    expect(sets).toEqual([{ sort: undefined }, { sort: 'name.up' }]);
    expect(at('sort=%3Cscript%3E').order.sorting.every((s) => /^\w+$/.test(s.key))).toBe(true);
  });

  it('turns a column round when it is pressed again, and with more keeps the others where they are', () => {
    const first = pressed([], 'weight', false, true);
    expect(first).toEqual([{ key: 'weight', down: true }]);
    expect(pressed(first, 'weight', false, true)).toEqual([{ key: 'weight', down: false }]);
    const both = pressed(first, 'name', true, false);
    expect(pressed(both, 'weight', true, true)).toEqual([
      { key: 'weight', down: false },
      { key: 'name', down: false },
    ]);
    expect(pressed(both, 'points', false, true)).toEqual([{ key: 'points', down: true }]);
  });

  it('keeps the scope and nothing else as one moves between views', () => {
    const params = new URLSearchParams('space=a%20b&sort=x&ws=drives&asof=7&text=t');
    expect(inScope('/exposure/watch', params)).toBe('/exposure/watch?space=a+b&ws=drives&asof=7');
    expect(inScope('/exposure/watch', new URLSearchParams('text=t'))).toBe('/exposure/watch');
  });
});
