/** Every date and time in words, in the zone of whoever reads it. */
import {
  differenceInSeconds,
  format,
  formatDistanceStrict,
  isSameYear,
  isToday,
  isYesterday,
  parseISO,
} from 'date-fns';

/** A day as YYYY-MM-DD. */
export const dayOf = (date: Date): string => format(date, 'yyyy-MM-dd');

/** As an input of type `datetime-local` takes it. */
export const localMinute = (at: Date | string): string => format(at, "yyyy-MM-dd'T'HH:mm");

/** Day and time, short: the day where it is not today, the year where it is not this one. */
export function whenWords(at: string, now = new Date()): string {
  const date = parseISO(at);
  if (isToday(date)) return `today ${format(date, 'HH:mm')}`;
  if (isYesterday(date)) return `yesterday ${format(date, 'HH:mm')}`;
  return format(date, isSameYear(date, now) ? 'd MMM, HH:mm' : 'd MMM yyyy, HH:mm');
}

/** A day in words: the year where it is not this one. */
export const dayWords = (at: string, now = new Date()): string =>
  format(parseISO(at), isSameYear(parseISO(at), now) ? 'd MMM' : 'd MMM yyyy');

/** The exact time, with its zone. */
export const exactly = (at: string): string => format(parseISO(at), "EEEE d MMMM yyyy, HH:mm:ss 'UTC'xxx");

/** How long ago, or how long until, in the largest unit. */
export const ago = (at: string, now = new Date()): string =>
  formatDistanceStrict(parseISO(at), now, { addSuffix: true });

/** How long something took, or has taken so far. */
export function duration(from: string | null, to: string | null, now = new Date()): string {
  if (!from) return '';
  const end = to ? parseISO(to) : now;
  const seconds = (end.getTime() - parseISO(from).getTime()) / 1000;
  if (seconds < 10) return `${seconds.toFixed(1)} s`;
  const whole = differenceInSeconds(end, parseISO(from));
  if (whole < 120) return `${whole} s`;
  if (whole < 7200) return `${Math.floor(whole / 60)} min ${whole % 60} s`;
  return `${Math.floor(whole / 3600)} h ${Math.floor((whole % 3600) / 60)} min`;
}
