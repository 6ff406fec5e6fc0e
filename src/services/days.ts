/** Days, as people choose them and as they are compared: by UTC. */
import { dayAt } from '../core/time.ts';
import { AppError } from './errors.ts';

export const dayOf = (at: Date): string => dayAt(at.getTime());

/** Refuses a day that is over. */
export function mustCome(day: string, now: Date): void {
  if (day < dayOf(now))
    throw new AppError('past', 422, 'That day is over. Choose one that is still to come.');
}
