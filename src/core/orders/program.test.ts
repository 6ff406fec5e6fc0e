/** Orders as programs: every way through one ends, waits are held to Temporal, and what is wrong is said. */
import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { describe, expect, it } from 'vitest';
import { wrongTemplate } from '../../services/messages/templates.ts';
import { laterBy, programOf, waitsUntil } from './program.ts';
import { readOrder } from './read.ts';
import { orderSchema, sizeOf, type Step } from './schema.ts';
import { ORDER_STARTERS } from './starters.ts';
import { stepWords, whenWords } from './words.ts';

const leaf = fc.constantFrom<Step>(
  { do: 'wait', for: 'P1D' },
  { do: 'look', still: true },
  { do: 'suspend-sharing', about: 'actor' },
  { do: 'accept', for: 'P90D' },
  { do: 'stop' },
);
const steps = fc.letrec<{ list: Step[]; step: Step }>((tie) => ({
  list: fc.array(tie('step'), { minLength: 0, maxLength: 4 }),
  step: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    leaf,
    fc.record({
      do: fc.constant('branch' as const),
      on: fc.constant({ still: true as const }),
      then: tie('list'),
      else: tie('list'),
    }),
  ),
})).list;

/** The steps that a run does, read off the tree itself; `ways`: how each branch goes, in turn. */
function plainly(
  list: readonly Step[],
  ways: Iterator<boolean>,
  did: Step[] = [],
): { did: Step[]; stopped: boolean } {
  for (const step of list) {
    did.push(step);
    if (step.do === 'stop' || step.do === 'accept') return { did, stopped: true };
    if (step.do !== 'branch') continue;
    const { stopped } = plainly(ways.next().value ? step.then : step.else, ways, did);
    if (stopped) return { did, stopped };
  }
  return { did, stopped: false };
}
function* turns(bits: readonly boolean[]): Generator<boolean> {
  for (let n = 0; ; n++) yield bits[n % bits.length]!;
}

describe('a program', () => {
  it('does the same steps as the list that it was made of, whatever way branches go', () => {
    fc.assert(
      fc.property(steps, fc.array(fc.boolean(), { minLength: 1, maxLength: 8 }), (list, bits) => {
        const program = programOf(list);
        expect(program).toHaveLength(sizeOf(list).steps);
        const ways = turns(bits);
        const did: Step[] = [];
        for (let at = 0; at < program.length;) {
          const { step, next, yes, no } = program[at]!;
          did.push(step);
          const to = step.do === 'branch' ? (ways.next().value ? yes! : no!) : next;
          // nothing is done twice, so that every run ends
          expect(to).toBeGreaterThan(at);
          at = to;
        }
        expect(did).toEqual(plainly(list, turns(bits)).did);
      }),
      { numRuns: 500 },
    );
  });
});

describe('waiting', () => {
  const zones = ['UTC', 'Europe/Oslo', 'America/New_York', 'Australia/Lord_Howe', 'Asia/Kathmandu'];
  const some = fc.record({
    at: fc.integer({ min: Date.UTC(2024, 0, 3), max: Date.UTC(2028, 0) }).map((t) => t - (t % 1000)),
    zone: fc.constantFrom(...zones),
    duration: fc.constantFrom('PT1H', 'PT8H', 'P1D', 'P3D', 'P1W', 'P4W', 'P1DT6H', 'P200D'),
  });

  it('keeps the time of day over days and weeks, as Temporal has it, on the nights when clocks change too', () => {
    const held = ({ at, zone, duration }: { at: number; zone: string; duration: string }): void => {
      const expected = Temporal.Instant.fromEpochMilliseconds(at)
        .toZonedDateTimeISO(zone)
        .add(Temporal.Duration.from(duration)).epochMilliseconds;
      expect([duration, zone, laterBy(new Date(at), duration, zone).getTime()]).toEqual([
        duration,
        zone,
        expected,
      ]);
    };
    fc.assert(fc.property(some, held), { numRuns: 1000 });
    // the last Sundays of March and October of 2026 in Europe, every quarter of an hour around the change
    for (const night of [Date.UTC(2026, 2, 29), Date.UTC(2026, 9, 25)])
      for (let quarter = -8; quarter < 16; quarter++)
        held({ at: night + quarter * 900_000 - 86_400_000, zone: 'Europe/Oslo', duration: 'P1D' });
  });

  it('until an hour or a weekday comes to the next such hour of the clock', () => {
    fc.assert(
      fc.property(
        some,
        fc.integer({ min: 0, max: 23 }),
        fc.option(fc.integer({ min: 1, max: 7 }), { nil: undefined }),
        ({ at, zone }, hour, weekday) => {
          const then = waitsUntil(
            { do: 'wait', until: { hour, ...(weekday && { weekday }) } },
            new Date(at),
            zone,
          );
          const there = Temporal.Instant.fromEpochMilliseconds(then.getTime()).toZonedDateTimeISO(zone);
          expect(then.getTime()).toBeGreaterThan(at);
          expect(then.getTime() - at).toBeLessThanOrEqual((weekday ? 7 : 1) * 86_400_000 + 7_200_000);
          if (weekday) expect(there.dayOfWeek).toBe(weekday);
          // an hour that a change of the clock leaves out comes later
          if (there.hour !== hour) expect(there.hoursInDay).not.toBe(24);
        },
      ),
      { numRuns: 500 },
    );
  });
});

describe('an order', () => {
  it.each(ORDER_STARTERS.map((s) => [s.name, s] as const))('to begin with can be read: %s', (_, order) => {
    expect(readOrder(order, wrongTemplate)).toEqual({ order: orderSchema.parse(order), wrong: [] });
    expect(whenWords(order.when)).not.toContain('undefined');
    for (const s of order.steps) expect(stepWords(s)).not.toContain('undefined');
  });

  it('has at least twenty to begin with, each of a name of its own', () => {
    expect(new Set(ORDER_STARTERS.map((s) => s.name)).size).toBeGreaterThanOrEqual(20);
  });

  const order = (more: object): unknown => ({
    format: 'gate-lantern-order',
    version: 1,
    name: 'x',
    severity: 'low',
    on: true,
    when: { event: ['file.shared'] },
    steps: [{ do: 'stop' }],
    ...more,
  });
  const deep = (n: number): Step[] =>
    n === 0 ? [{ do: 'stop' }] : [{ do: 'branch', on: { still: true }, then: deep(n - 1), else: [] }];
  it.each([
    ['an unknown key', order({ colour: 1 }), 'colour'],
    ['a wait without a time', order({ steps: [{ do: 'wait' }] }), 'steps[0]'],
    ['a time that is none', order({ steps: [{ do: 'wait', for: 'P1M' }] }), 'steps[0].for'],
    ['a condition that cannot be read', order({ if: 'outside &&' }), 'if'],
    ['a field that is not there', order({ if: 'colour == "red"' }), 'if'],
    [
      'a response that cannot be had',
      order({ steps: [{ do: 'change', about: 'actor', response: { do: 'label', label: 'x' } }] }),
      'steps[0].response.do',
    ],
    ['branches that lie too deep', order({ steps: deep(6) }), 'steps'],
    [
      'an answer that nobody was asked for',
      order({ steps: [{ do: 'branch', on: { answer: ['keep'] }, then: [] }] }),
      'steps[0].on',
    ],
    ['all subjects at once', order({ when: { subject: 'identity', rhythm: 'FREQ=DAILY' } }), 'if'],
    [
      'a rhythm that never comes',
      order({ when: { subject: 'identity', rhythm: 'FREQ=HOURLY' }, if: 'true' }),
      'when.rhythm',
    ],
    [
      'a date that is none',
      order({ when: { subject: 'identity', rhythm: 'FREQ=DAILY', date: { field: 'name', before: 'P1D' } } }),
      'when.date.field',
    ],
    [
      'whoever did it, where nobody did',
      order({
        when: { subject: 'space', rhythm: 'FREQ=DAILY' },
        if: 'files > 0',
        steps: [{ do: 'tell', to: [{ actor: true }], subject: 'x', text: 'y' }],
      }),
      'steps[0].to[0]',
    ],
    [
      'an event, where there is none',
      order({
        when: { policy: 'p', rule: 'r' },
        steps: [{ do: 'branch', on: { event: 'outside' }, then: [] }],
      }),
      'steps[0].on.event',
    ],
    [
      'a field of no such order',
      order({
        when: { policy: 'p', rule: 'r' },
        steps: [{ do: 'tell', to: [{ stewards: true }], subject: '{{ actor.name }}', text: 'y' }],
      }),
      'steps[0].subject',
    ],
  ] as [string, unknown, string][])('is refused with %s, and it is said where', (_, given, at) => {
    const { wrong, order: read } = readOrder(given, wrongTemplate);
    expect(read).toBeUndefined();
    expect(wrong.map((w) => w.at)).toContain(at);
    for (const w of wrong) expect(w.why.length).toBeGreaterThan(5);
  });

  it('survives being written and read again', () => {
    for (const s of ORDER_STARTERS)
      expect(orderSchema.parse(JSON.parse(JSON.stringify(s)))).toEqual(orderSchema.parse(s));
  });
});
