/** Runs of standing orders in words. */
import type { RunState } from '../../../../dto/orders.ts';
import type { State } from '../../../parts/marks.tsx';

type Icon = Parameters<typeof State>[0]['icon'];
export const RUN_WORDS: Record<RunState, readonly [words: string, icon: Icon]> = {
  ready: ['goes on', 'running'],
  waiting: ['waits', 'later'],
  asked: ['waits for an answer', 'later'],
  looking: ['waits for a newer survey', 'running'],
  changing: ['is changing something', 'running'],
  held: ['held', 'trouble'],
  done: ['done', 'done'],
  stopped: ['over: it is not so any more', 'done'],
  cancelled: ['cancelled', 'back'],
  failed: ['failed', 'failed'],
};
