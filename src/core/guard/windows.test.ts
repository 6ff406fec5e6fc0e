import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { madeEvent } from '../../../tests/events.ts';
import { NO_FACTS, readEvent, type Happened } from './events.ts';
import { durationMs, type Window } from './patterns.ts';
import { signals, windowSchema } from './windows.ts';

const MINUTE = 60_000;
const event = (
  id: string,
  minutes: number,
  actor: string,
  item: string,
  more: Partial<Happened> = {},
): Happened => madeEvent({ id, time: minutes * MINUTE, actor, item, outside: true, ...more });
const BURST: Window = { by: 'actor', distinct: 'item', count: 3, within: 'PT1H', if: 'outside' };
const told = (events: readonly Happened[], window = BURST) =>
  signals(events, window).map((s) => [
    s.key,
    s.from / MINUTE,
    s.to / MINUTE,
    s.distinct,
    s.events.map((e) => e.id).join(''),
  ]);

/** The same by its words, over all pairs. */
function plain(given: readonly Happened[], w: Window, fits: (e: Happened) => boolean) {
  const events = given.filter((e, n) => given.findIndex((x) => x.source === e.source && x.id === e.id) === n);
  const mine = events.filter((e) => fits(e) && e[w.by] !== '');
  const values = (list: readonly Happened[]): number =>
    new Set(list.map((e) => e[w.distinct]).filter((v) => v !== '')).size;
  let groups: Set<Happened>[] = [];
  for (const e of mine) {
    const taken = mine.filter(
      (x) => x[w.by] === e[w.by] && x.time > e.time - durationMs(w.within)! && x.time <= e.time,
    );
    if (values(taken) < w.count) continue;
    const one = new Set(taken);
    const [shared, others] = [
      groups.filter((g) => [...g].some((x) => one.has(x))),
      groups.filter((g) => ![...g].some((x) => one.has(x))),
    ];
    groups = [...others, new Set([...one, ...shared.flatMap((g) => [...g])])];
  }
  return groups.map((g) => {
    const list = [...g].sort((a, b) => a.time - b.time || (a.id < b.id ? -1 : 1));
    return {
      key: list[0]![w.by],
      from: list[0]!.time,
      to: list.at(-1)!.time,
      distinct: values(list),
      events: list.map((e) => e.id),
    };
  });
}

describe('signals', () => {
  it('are what a plain reading of all events finds, however often and in whatever order they come', () => {
    const some = fc.record({
      id: fc.integer({ min: 0, max: 40 }).map((n) => `e${n}`),
      source: fc.constantFrom('a', 'b'),
      time: fc.integer({ min: 0, max: 180 }).map((m) => m * MINUTE),
      actor: fc.constantFrom('ada', 'bo', ''),
      item: fc.constantFrom('i1', 'i2', 'i3', 'i4', 'i5', ''),
      outside: fc.boolean(),
    });
    const window = fc.record({
      by: fc.constantFrom('actor' as const, 'item' as const),
      distinct: fc.constantFrom('item' as const, 'actor' as const, 'id' as const),
      count: fc.integer({ min: 1, max: 4 }),
      within: fc.constantFrom('PT1M', 'PT20M', 'PT1H'),
      if: fc.constantFrom(undefined, 'outside', 'item != "i1"'),
    });
    fc.assert(
      fc.property(fc.array(some, { maxLength: 40 }), window, (list, w) => {
        const events = list.map(({ id, source, time, actor, item, outside }) =>
          event(id, 0, actor, item, { source, time, outside }),
        );
        const fits = (e: Happened): boolean =>
          w.if === undefined || (w.if === 'outside' ? e.outside : e.item !== 'i1');
        const order = (s: { key: string; from: number; to: number }) => `${s.key} ${s.from} ${s.to}`;
        const found = signals(events, w as Window).map((s) => ({ ...s, events: s.events.map((e) => e.id) }));
        expect([...found].sort((a, b) => (order(a) < order(b) ? -1 : 1))).toEqual(
          plain(events, w as Window, fits).sort((a, b) => (order(a) < order(b) ? -1 : 1)),
        );
      }),
      { numRuns: 2000 },
    );
  });

  it('begin after the window and end with it, and what shares an event is one', () => {
    const row = [0, 30, 59].map((m, n) => event('abc'[n]!, m, 'ada', `i${n}`));
    expect(told(row)).toEqual([['ada', 0, 59, 3, 'abc']]);
    // an hour later is not within the hour
    expect(told([row[0]!, row[1]!, event('c', 60, 'ada', 'i2')])).toEqual([]);
    expect(told([...row, event('d', 100, 'ada', 'i3'), event('e', 101, 'ada', 'i4')])).toEqual([
      ['ada', 0, 101, 5, 'abcde'],
    ]);
    expect(told([...row, ...[200, 201, 202].map((m, n) => event('xyz'[n]!, m, 'ada', `i${n}`))])).toEqual([
      ['ada', 0, 59, 3, 'abc'],
      ['ada', 200, 202, 3, 'xyz'],
    ]);
    // the same thing again is no other thing, and another’s is not theirs
    expect(told([...row.slice(0, 2), event('c', 59, 'ada', 'i1'), event('d', 59, 'bo', 'i2')])).toEqual([]);
    expect(told(row.map((e) => ({ ...e, outside: false })))).toEqual([]);
  });

  it('are asked for in words that are refused where they cannot be meant', () => {
    for (const [text, ms] of [
      ['PT1H', 3_600_000],
      ['P1DT30M', 88_200_000],
      ['P2W', 1_209_600_000],
      ['PT0.5S', 500],
    ] as const)
      expect(durationMs(text)).toBe(ms);
    for (const text of ['', 'P', 'PT', 'P1M', 'P1Y', '1h', 'PT0S', 'PT1H ', 'P1DT'])
      expect(durationMs(text)).toBeUndefined();
    const wrong = (change: object) =>
      windowSchema.safeParse({ ...BURST, ...change }).error?.issues.map((i) => i.path.join('.'));
    expect(windowSchema.safeParse(BURST).success).toBe(true);
    expect(wrong({ by: 'colour' })).toEqual(['by']);
    expect(wrong({ count: 0 })).toEqual(['count']);
    expect(wrong({ within: 'P1M' })).toEqual(['within']);
    expect(wrong({ if: 'wieght > 1' })).toEqual(['if']);
    expect(wrong({ more: 1 })).toEqual(['']);
  });
});

describe('an event', () => {
  const given = {
    specversion: '1.0',
    id: '1',
    source: '/w',
    type: 'file.shared',
    subject: 'i1',
    time: '2026-03-02T09:00:00+01:00',
  };
  it('is read as it is told, with what it concerns', () => {
    expect(
      readEvent({
        ...given,
        data: { actor: 'u1', target: { email: 'x@away.example' }, outside: true, device: { managed: false } },
      }),
    ).toEqual({
      event: {
        ...{
          id: '1',
          source: '/w',
          type: 'file.shared',
          time: Date.parse('2026-03-02T08:00:00Z'),
          actor: 'u1',
          item: 'i1',
        },
        ...{
          space: '',
          target: 'x@away.example',
          outside: true,
          device: 'unmanaged',
          address: '',
          weight: 0,
          role: '',
          detail: '',
        },
        ...NO_FACTS,
      },
      said: { outside: true, weight: false },
    });
    expect(readEvent({ ...given, type: 'org.gatelantern.item.opened', data: { user: 'u2' } })).toMatchObject({
      event: { type: 'file.opened', actor: 'u2' },
    });
    expect(readEvent({ ...given, data: { target: { anyone: true } } })).toMatchObject({
      event: { target: 'anyone' },
    });
  });
  it('says all that is wrong with it', () => {
    expect(readEvent({ ...given, id: '', time: 'yesterday', specversion: '0.3' })).toEqual({
      wrong: [
        expect.stringMatching(/^specversion:/),
        expect.stringMatching(/^id:/),
        expect.stringMatching(/^time:/),
      ] as string[],
    });
    expect(readEvent({ ...given, type: 'file.painted' })).toEqual({
      wrong: [expect.stringContaining('file.painted')],
    });
    expect(readEvent({ ...given, type: 'file.painted' }, true)).toMatchObject({
      event: { type: 'file.painted' },
    });
    expect(readEvent({ ...given, data: { weight: 9 } })).toHaveProperty('wrong');
    expect(readEvent(null)).toHaveProperty('wrong');
  });
});
