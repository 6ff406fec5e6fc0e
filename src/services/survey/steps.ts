/** The steps of a survey, in order. */
export const FULL_STEPS = [
  'people',
  'groups',
  'extracts',
  'spaces',
  'items',
  'grants',
  'links',
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
