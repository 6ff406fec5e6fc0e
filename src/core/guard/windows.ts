/** Signals: many different things by one key in a short time, found by sliding windows (docs/events.md). */
import { z } from 'zod';
import { checkFilter, compileFilter } from '../filter/filter.ts';
import { byCode } from '../sorts.ts';
import { byTime, eventGetters, once, type Happened } from './events.ts';

/** What can be counted by, and counted. */
export const WINDOW_KEYS = [
  'actor',
  'item',
  'space',
  'target',
  'domain',
  'department',
  'device',
  'address',
  'type',
  'source',
  'id',
] as const;

const UNITS = { W: 604_800_000, D: 86_400_000, H: 3_600_000, M: 60_000, S: 1000 } as const;
const DURATION = /^P(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?$/;
/** An ISO 8601 duration in milliseconds; undefined where it is none, or has months or years, which are not always as long. */
export function durationMs(text: string): number | undefined {
  const found = DURATION.exec(text);
  if (!found || text.endsWith('T') || text === 'P') return undefined;
  const ms = Object.values(UNITS).reduce((sum, unit, n) => sum + Number(found[n + 1] ?? 0) * unit, 0);
  return ms > 0 && Number.isSafeInteger(ms) ? ms : undefined;
}

export const windowSchema = z.strictObject({
  by: z.enum(WINDOW_KEYS),
  distinct: z.enum(WINDOW_KEYS),
  count: z.int().min(1).max(1_000_000),
  within: z.string().refine((t) => durationMs(t) !== undefined, {
    error: 'takes an ISO 8601 duration such as PT1H or P7D, without months and years',
  }),
  if: z
    .string()
    .max(2000)
    .superRefine((condition, ctx) => {
      try {
        checkFilter(condition, 'events');
      } catch (e) {
        ctx.addIssue({ code: 'custom', message: (e as Error).message });
      }
    })
    .optional(),
});
export type Window = z.infer<typeof windowSchema>;

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
