/** The steps of a survey, in order. */
export const STEP_NAMES = [
  'people',
  'groups',
  'spaces',
  'items',
  'grants',
  'links',
  'content',
  'changes meanwhile',
  'taking over',
] as const;
export type StepName = (typeof STEP_NAMES)[number];
