/** Signals in words. */
import { durationMs, type Window } from '../../../../core/guard/patterns.ts';
import type { SignalRow, SignalState } from '../../../../dto/events.ts';
import { plural } from '../../../parts/marks.tsx';

export const STATE_WORDS: Record<SignalState, string> = {
  waiting: 'waits',
  'seen-to': 'seen to',
  ignored: 'ignored',
};
export const SHOW_WORDS: Record<SignalState | 'all', string> = {
  waiting: 'That wait',
  'seen-to': 'Seen to',
  ignored: 'Ignored',
  all: 'All signals',
};

/** What is counted, one and many of it. */
export const COUNTED: Record<Window['by'], readonly [one: string, many: string]> = {
  actor: ['person', 'people'],
  item: ['file', 'files'],
  space: ['space', 'spaces'],
  target: ['recipient', 'recipients'],
  domain: ['domain', 'domains'],
  department: ['department', 'departments'],
  device: ['device', 'devices'],
  address: ['network address', 'network addresses'],
  type: ['kind of act', 'kinds of acts'],
  source: ['source', 'sources'],
  id: ['event', 'events'],
};

export function countedWords({ parts: [first], events }: Pick<SignalRow, 'parts' | 'events'>): string {
  const { distinct, values } = first!;
  return distinct === 'id' || values === events
    ? plural(distinct === 'id' ? events : values, ...COUNTED[distinct])
    : `${plural(values, ...COUNTED[distinct])}, ${plural(events, 'event')}`;
}

const PARTS = [
  ['week', 604_800_000],
  ['day', 86_400_000],
  ['hour', 3_600_000],
  ['minute', 60_000],
  ['second', 1000],
] as const;
/** A duration of ISO 8601 in words; as it is written where it is none. */
export function spanWords(duration: string): string {
  let left = durationMs(duration);
  if (left === undefined) return duration;
  const said: string[] = [];
  for (const [name, ms] of PARTS) {
    const n = Math.floor(left / ms);
    left -= n * ms;
    if (n) said.push(plural(n, name));
  }
  return said.join(' ') || 'a moment';
}

/** What a window looks for, in a sentence. */
export const windowWords = (w: Window): string =>
  w.count === 1
    ? `each ${COUNTED[w.by][0]}, gathered over ${spanWords(w.within)}`
    : `${plural(w.count, ...COUNTED[w.distinct])} or more by one ${COUNTED[w.by][0]} within ${spanWords(w.within)}`;
