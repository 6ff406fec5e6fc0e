import { FEED_KINDS, ROW_KINDS, type FeedKind } from '../../core/row-kinds.ts';

/** The step that reads the rows of a kind from every workspace. */
export const stepOf = <K extends FeedKind>(kind: K): (typeof ROW_KINDS)[K]['words'][1] =>
  ROW_KINDS[kind].words[1];

/** The steps of a survey, in order. */
export const FULL_STEPS = [
  'people',
  'groups',
  'extracts',
  ...FEED_KINDS.map(stepOf),
  'content',
  'activity',
  'changes meanwhile',
  'taking over',
] as const;
/** Of one that reads only what changed. */
export const INCREMENTAL_STEPS = [
  'people',
  'groups',
  'what changed',
  'content',
  'activity',
  'taking over',
] as const;
export type StepName = (typeof FULL_STEPS)[number] | (typeof INCREMENTAL_STEPS)[number];
