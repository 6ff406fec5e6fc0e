/** Long work, as the interface knows it. */

export type JobState = 'waiting' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted';

export interface JobStep {
  name: string;
  state: 'waiting' | 'running' | 'done' | 'failed';
  done: number;
  /** Of so many, where that is known. */
  total: number | null;
  /** How many of them could not be done. */
  failed: number;
  startedAt: string | null;
  finishedAt: string | null;
  note: string | null;
}

/** What a job says of itself while it runs, and when it ends. */
export interface JobNews {
  kind: string;
  /** The number of the survey, plan … that it works on. */
  subject: number;
  state: JobState;
  steps: JobStep[];
}

/** A step that has not begun. */
export const waitingStep = (name: string): JobStep => ({
  name,
  state: 'waiting',
  done: 0,
  total: null,
  failed: 0,
  startedAt: null,
  finishedAt: null,
  note: null,
});

/** Something that waits for its time. */
export interface Waits {
  kind: string;
  subject: number;
  due: string;
  by: string;
  /** Of the policy or plan. */
  name: string | null;
}
