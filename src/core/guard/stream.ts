/** Signals as events come: what `signals` finds in all of them, found in each as soon as its last event is there. */
import { compileFilter, type Budget } from '../filter/filter.ts';
import { byTime, eventGetters, type Happened } from './events.ts';
import { durationMs, type Window } from './patterns.ts';
import { qualifying, stepsFor } from './windows.ts';

/** A signal while it may still grow. `into`: it is one with another, and that is known. */
export interface Growing {
  /** Where it is kept, once it is. */
  id?: number;
  into?: Growing;
}

/** What some events added to a signal. */
export interface Grown<E extends Happened = Happened> {
  signal: Growing;
  key: string;
  added: E[];
  /** Signals that turned out to be this one. */
  merged: Growing[];
}

interface Held<E extends Happened> {
  e: E;
  signal: Growing | undefined;
}

const whole = (s: Growing): Growing => {
  let at = s;
  while (at.into) at = at.into;
  return at;
};

/** The first place in a list by time at which an event would come after a moment, or at it. */
function firstFrom(list: readonly Held<Happened>[], time: number): number {
  let [low, high] = [0, list.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle]!.e.time < time) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * A window over events that come in any order, each once, none later than `lateness` milliseconds after one that is newer. What
 * is older than that is left out, and handed back. Holds the events of the window's length and the lateness, and no more.
 */
export class Stream<E extends Happened = Happened> {
  /** Those of the last events that came too late for what is held, and fit. */
  late: E[] = [];
  private readonly within: number;
  private readonly budget: Budget = { left: 0 };
  private readonly fits: (e: Happened) => boolean;
  private readonly byKey = new Map<string, Held<E>[]>();
  private newest = -Infinity;
  private swept = -Infinity;

  /** `taken`: the moment that the word stands for in its condition. Throws a FilterError. */
  constructor(
    private readonly window: Window,
    private readonly lateness: number,
    taken: number,
  ) {
    this.within = durationMs(window.within)!;
    this.fits = compileFilter(window.if, 'events', eventGetters, taken, this.budget);
  }

  /** How many events are held. */
  get held(): number {
    let n = 0;
    for (const list of this.byKey.values()) n += list.length;
    return n;
  }

  /** The time from which on events have to be held. */
  get since(): number {
    return this.newest - this.lateness - this.within;
  }

  /** Puts back events that were taken before, with the signals that they are in. */
  restore(events: readonly { e: E; signal: Growing | undefined }[]): void {
    this.budget.left = stepsFor(events.length);
    for (const { e, signal } of events) {
      this.newest = Math.max(this.newest, e.time);
      const key = e[this.window.by];
      if (key === '' || !this.fits(e)) continue;
      this.list(key).push({ e, signal });
    }
    for (const list of this.byKey.values()) list.sort((a, b) => byTime(a.e, b.e));
  }

  /**
   * Takes events, and says which signals they made, or added to. A signal is told with all its events the first time, with
   * what is new of it after that. Throws a FilterError where the condition takes too long; nothing is taken then.
   */
  feed(events: readonly E[]): Grown<E>[] {
    this.budget.left = stepsFor(events.length);
    this.late = [];
    const fitting = events.filter((e) => e[this.window.by] !== '' && this.fits(e));
    const until = this.newest - this.lateness;
    const touched = new Map<string, { from: number; to: number }>();
    for (const e of events) this.newest = Math.max(this.newest, e.time);
    for (const e of fitting) {
      if (e.time < until) {
        this.late.push(e);
        continue;
      }
      const key = e[this.window.by];
      const list = this.list(key);
      // nearly always the newest
      let at = list.length;
      while (at > 0 && byTime(list[at - 1]!.e, e) > 0) at--;
      list.splice(at, 0, { e, signal: undefined });
      const span = touched.get(key);
      if (!span) touched.set(key, { from: e.time, to: e.time });
      else [span.from, span.to] = [Math.min(span.from, e.time), Math.max(span.to, e.time)];
    }
    const grown: Grown<E>[] = [];
    for (const [key, { from, to }] of touched) this.grow(key, from, to, grown);
    this.sweep();
    return grown;
  }

  private list(key: string): Held<E>[] {
    let list = this.byKey.get(key);
    if (!list) this.byKey.set(key, (list = []));
    return list;
  }

  /** Looks at the windows that events from one moment to another can have filled. */
  private grow(key: string, from: number, to: number, grown: Grown<E>[]): void {
    const list = this.byKey.get(key)!;
    const first = firstFrom(list, from - this.within);
    const part = list.slice(first, firstFrom(list, to + this.within));
    const ranges = qualifying(
      part.map((h) => h.e),
      this.window,
      this.within,
    );
    for (const [start, end] of ranges) {
      const range = part.slice(start, end);
      const known = [...new Set(range.flatMap((h) => (h.signal ? whole(h.signal) : [])))];
      // the one that is kept for longest stays
      known.sort((a, b) => (a.id ?? Infinity) - (b.id ?? Infinity));
      const [signal = {}, ...merged] = known;
      for (const m of merged) m.into = signal;
      const added = range.filter((h) => !h.signal);
      for (const h of range) h.signal = signal;
      if (added.length || merged.length) grown.push({ signal, key, added: added.map((h) => h.e), merged });
    }
  }

  /** Lets go of what no event can come to any more. */
  private sweep(): void {
    const { since } = this;
    if (since - this.swept < (this.within + this.lateness) / 4) return;
    this.swept = since;
    for (const [key, list] of this.byKey) {
      const gone = firstFrom(list, since);
      if (gone === list.length) this.byKey.delete(key);
      else if (gone) list.splice(0, gone);
    }
  }
}
