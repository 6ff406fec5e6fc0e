import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { madeEvent } from '../../../tests/events.ts';
import type { Happened } from './events.ts';
import { Stream, type Growing } from './stream.ts';
import type { Window } from './patterns.ts';
import { signals } from './windows.ts';

const MINUTE = 60_000;
const event = (id: string, minutes: number, actor: string, item: string, outside = true): Happened =>
  madeEvent({ id, time: minutes * MINUTE, actor, item, outside });
const some = fc.record({
  minute: fc.integer({ min: 0, max: 250 }),
  late: fc.integer({ min: 0, max: 30 }),
  actor: fc.constantFrom('ada', 'bo', ''),
  item: fc.constantFrom('i1', 'i2', 'i3', 'i4', 'i5', ''),
  outside: fc.boolean(),
});
const windows: fc.Arbitrary<Window> = fc.record({
  by: fc.constantFrom('actor' as const, 'item' as const),
  distinct: fc.constantFrom('item' as const, 'actor' as const, 'id' as const),
  count: fc.integer({ min: 1, max: 4 }),
  within: fc.constantFrom('PT5M', 'PT20M', 'PT1H'),
  if: fc.constantFrom('outside', 'item != "i1"', 'true'),
});

/** Signals as they are kept: by number, with what was told of each. */
class Kept {
  readonly signals = new Map<number, Set<Happened>>();
  private next = 1;

  constructor(public stream: Stream) {}

  feed(events: readonly Happened[]): void {
    const grown = this.stream.feed(events);
    expect(this.stream.late).toEqual([]);
    for (const { signal, added, merged } of grown) {
      signal.id ??= this.next++;
      const of = this.signals.get(signal.id) ?? new Set();
      this.signals.set(signal.id, of);
      for (const e of added) {
        expect(of.has(e)).toBe(false);
        of.add(e);
      }
      for (const m of merged) {
        for (const e of this.signals.get(m.id!)!) of.add(e);
        this.signals.delete(m.id!);
      }
    }
  }

  /** Begins anew with what has to be held, as after a crash. */
  again(seen: readonly Happened[], make: () => Stream): void {
    const { since } = this.stream;
    const refs = new Map<number, Growing>([...this.signals.keys()].map((id) => [id, { id }]));
    const of = (e: Happened): Growing | undefined => {
      const found = [...this.signals].find(([, events]) => events.has(e));
      return found && refs.get(found[0]);
    };
    this.stream = make();
    this.stream.restore(seen.filter((e) => e.time >= since).map((e) => ({ e, signal: of(e) })));
  }

  told(by: Window['by']) {
    return [...this.signals.values()]
      .map((of) => {
        const events = [...of].map((e) => e.id).sort();
        return [[...of][0]![by], events];
      })
      .sort();
  }
}

describe('a stream', () => {
  it('finds in events that come late, in any parts and over ends of the application what all of them together hold', () => {
    let [restarts, found] = [0, 0];
    fc.assert(
      fc.property(
        fc.array(some, { maxLength: 60, size: 'max' }),
        windows,
        fc.infiniteStream(fc.integer({ min: 1, max: 6 })),
        fc.infiniteStream(fc.integer({ min: 0, max: 9 })),
        (list, window, sizes, dice) => {
          const events = list.map((o, n) => ({
            e: event(`e${n}`, o.minute, o.actor, o.item, o.outside),
            comes: o.minute + o.late,
          }));
          const coming = [...events].sort((a, b) => a.comes - b.comes).map((o) => o.e);
          const make = (): Stream => new Stream(window, 30 * MINUTE, 0);
          const kept = new Kept(make());
          for (let at = 0; at < coming.length;) {
            const size = sizes.next().value as number;
            kept.feed(coming.slice(at, at + size));
            at += size;
            if (dice.next().value === 0) {
              kept.again(coming.slice(0, at), make);
              restarts++;
            }
          }
          const all = signals(coming, window).map((s) => [s.key, s.events.map((e) => e.id).sort()]);
          found += all.length;
          expect(kept.told(window.by)).toEqual(all.sort());
        },
      ),
      { numRuns: 1500 },
    );
    expect(Math.min(restarts, found)).toBeGreaterThan(200);
  });

  it('leaves out and hands back what comes later than is stated, and holds no more than it must', () => {
    const stream = new Stream({ by: 'actor', distinct: 'item', count: 2, within: 'PT10M' }, 5 * MINUTE, 0);
    let most = 0;
    for (let n = 0; n < 20_000; n++) {
      stream.feed([event(`e${n}`, n, `who ${n % 7}`, `i${n}`)]);
      most = Math.max(most, stream.held);
    }
    // 15 minutes, and what is swept in quarters of that
    expect(most).toBeLessThan(25);
    const late = event('late', 19_000, 'who 1', 'i0');
    expect(stream.feed([late])).toEqual([]);
    expect(stream.late).toEqual([late]);
  });

  it('takes nothing where a condition cannot be worked out', () => {
    expect(
      () => new Stream({ by: 'actor', distinct: 'item', count: 1, within: 'PT1M', if: 'nobody' }, 0, 0),
    ).toThrow();
  });
});
