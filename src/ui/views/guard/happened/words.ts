/** Signals in words. */
import type { Window } from '../../../../core/guard/patterns.ts';
import type { SignalRow, SignalState } from '../../../../dto/events.ts';
import { spanWords } from '../../../../core/orders/words.ts';
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

/** What a window looks for, in a sentence. */
export const windowWords = (w: Window): string =>
  w.count === 1
    ? `each ${COUNTED[w.by][0]}, gathered over ${spanWords(w.within)}`
    : `${plural(w.count, ...COUNTED[w.distinct])} or more by one ${COUNTED[w.by][0]} within ${spanWords(w.within)}`;
