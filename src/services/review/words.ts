/** What is said of rounds in messages and pages alike. */
import { tz } from '@date-fns/tz';
import { format } from 'date-fns';
import { reviewOf, type ReviewKind } from '../../core/ask/kinds.ts';

/** So long looking through some things takes, in minutes: an estimate. */
export const minutesOf = (kind: ReviewKind, things: number): number =>
  Math.max(1, Math.round((things * reviewOf(kind).seconds) / 60));

export const untilWords = (at: Date, zone: string): string => format(at, 'd MMMM, HH:mm', { in: tz(zone) });
