/** Signals: many different things by one key in a short time, found by sliding windows (docs/events.md). */
import { checkFilter, compileFilter } from '../filter/filter.ts';
import { byCode } from '../sorts.ts';
import { byTime, eventGetters, once, type Happened } from './events.ts';
import { durationMs, patternSchema, windowShape, type Window } from './patterns.ts';

export const windowSchema = windowShape.extend({
  if: windowShape.shape.if.superRefine((condition, ctx) => {
    if (condition === undefined) return;
    try {
      checkFilter(condition, 'events');
    } catch (e) {
      ctx.addIssue({ code: 'custom', message: (e as Error).message });
    }
  }),
});
/** A pattern whose condition can be read. */
export const readPattern = patternSchema.extend({ window: windowSchema });

/** Times in milliseconds since 1970; `events` by time, then id. */
export interface Signal {
  key: string;
  from: number;
  to: number;
  distinct: number;
  events: Happened[];
}

/** Steps that a condition may take over each event, and over all besides. */
export const stepsFor = (events: number): number => 500 * events + 1e6;

/**
 * The signals of a window in some events, in any order and some of them more than once: of those that fit, by key, for each at
 * time t those in (t − within, t] are taken; where they have at least `count` distinct values, it qualifies; windows of
 * qualifying events that share an event are one signal. Events without the key are nobody's, and values that are empty count
 * for nothing. By their first moment, then key. Throws a FilterError.
 */
export function signals(given: readonly Happened[], window: Window): Signal[] {
  const events = once(given);
  const latest = events.reduce((t, e) => Math.max(t, e.time), 0);
  const fits = compileFilter(window.if, 'events', eventGetters, latest, stepsFor(events.length));
  const within = durationMs(window.within)!;
  const byKey = new Map<string, Happened[]>();
  for (const e of events) {
    const key = e[window.by];
    if (key === '' || !fits(e)) continue;
    const mine = byKey.get(key);
    if (mine) mine.push(e);
    else byKey.set(key, [e]);
  }
  const found: Signal[] = [];
  for (const [key, mine] of byKey) {
    mine.sort(byTime);
    for (const [from, to] of qualifying(mine, window, within)) {
      const part = mine.slice(from, to);
      const values = new Set(part.map((e) => e[window.distinct]).filter((v) => v !== ''));
      found.push({ key, from: part[0]!.time, to: part.at(-1)!.time, distinct: values.size, events: part });
    }
  }
  return found.sort((a, b) => a.from - b.from || byCode(a.key, b.key));
}

/** Ranges of events, by time, that windows of qualifying events cover together. */
export function qualifying(
  events: readonly Happened[],
  { distinct, count }: Window,
  within: number,
): [from: number, to: number][] {
  const ranges: [number, number][] = [];
  const values = new Map<string, number>();
  const add = (e: Happened, n: 1 | -1): void => {
    const value = e[distinct];
    if (value === '') return;
    const now = (values.get(value) ?? 0) + n;
    if (now) values.set(value, now);
    else values.delete(value);
  };
  let [from, to] = [0, 0];
  while (to < events.length) {
    const { time } = events[to]!;
    while (to < events.length && events[to]!.time === time) add(events[to++]!, 1);
    while (events[from]!.time <= time - within) add(events[from++]!, -1);
    if (values.size < count) continue;
    const last = ranges.at(-1);
    if (last && from < last[1]) last[1] = to;
    else ranges.push([from, to]);
  }
  return ranges;
}
