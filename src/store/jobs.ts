/** Steps of jobs as they are kept: threads write them, everybody reads them. */
import type { Db } from './db.ts';

/** Keeps how far a job is. */
export const saveSteps = (db: Db, job: number, steps: readonly object[]): Promise<unknown> =>
  db.query('update job set steps = $2::jsonb where id = $1', [job, JSON.stringify(steps)]);

/** SQL: whether a step of a job, as `j` has it, has begun or is in a state. `name` and `state` are no user's words. */
export const stepIs = (j: string, name: string, state?: 'running'): string =>
  `jsonb_path_exists(${j}.steps, '$[*] ? (@.name == "${name}" && ${state ? `@.state == "${state}"` : '@.state != "waiting"'})')`;
