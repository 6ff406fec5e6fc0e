/** Every date and time in words, in the language and the zone of whoever reads it. */
import { tz, TZDate } from '@date-fns/tz';
import {
  differenceInSeconds,
  format,
  formatDistanceStrict,
  isSameDay,
  isSameYear,
  isValid,
  parseISO,
  subDays,
} from 'date-fns';
import type { DateSettings } from '../../core/dates.ts';

/** As the reader chose; else English, in the zone of the browser. */
let chosen: Partial<DateSettings> = {};

/** What is read from here on is in this language and zone. */
export const useDates = (settings: DateSettings | undefined): void => void (chosen = settings ?? {});

const zoneOf = (): string => chosen.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone;
/** The reader’s time zone. */
export const readerZone = zoneOf;
const inZone = () => ({ in: tz(zoneOf()) });

/** A moment in the reader's language (Unicode CLDR, as the browser has it). */
const words = (date: Date, options: Intl.DateTimeFormatOptions): string =>
  new Intl.DateTimeFormat(chosen.language ?? 'en-GB', {
    timeZone: zoneOf(),
    hourCycle: 'h23',
    ...options,
  }).format(date);

const TIME = { hour: '2-digit', minute: '2-digit' } as const;
const DAY = { day: 'numeric', month: 'short' } as const;
const YEAR = { year: 'numeric' } as const;

/** A day as YYYY-MM-DD. */
export const dayOf = (date: Date): string => format(date, 'yyyy-MM-dd', inZone());

/** As an input of type `datetime-local` takes it. */
export const localMinute = (at: Date | string): string => format(at, "yyyy-MM-dd'T'HH:mm", inZone());

/** The moment that such an input says, as RFC 3339. Empty where it says none. */
export function momentOfMinute(minute: string): string {
  const [year, month, day, hour, min] = minute.split(/[-T:]/).map(Number);
  const at = new TZDate(year!, month! - 1, day!, hour!, min!, zoneOf());
  return isValid(at) ? new Date(at.getTime()).toISOString() : '';
}

/** Day and time, short: the day where it is not today, the year where it is not this one. */
export function whenWords(at: string, now = new Date()): string {
  const date = parseISO(at);
  const near = (days: number): string =>
    new Intl.RelativeTimeFormat(chosen.language ?? 'en-GB', { numeric: 'auto' }).format(days, 'day');
  if (isSameDay(date, now, inZone())) return `${near(0)} ${words(date, TIME)}`;
  if (isSameDay(date, subDays(now, 1, inZone()), inZone())) return `${near(-1)} ${words(date, TIME)}`;
  return words(date, isSameYear(date, now, inZone()) ? { ...DAY, ...TIME } : { ...DAY, ...YEAR, ...TIME });
}

/** A day in words: the year where it is not this one. */
export function dayWords(at: string, now = new Date()): string {
  const date = parseISO(at);
  return words(date, isSameYear(date, now, inZone()) ? DAY : { ...DAY, ...YEAR });
}

/** The exact time, with its zone. */
export const exactly = (at: string): string =>
  words(parseISO(at), {
    weekday: 'long',
    day: 'numeric',
    month: 'long',
    year: 'numeric',
    ...TIME,
    second: '2-digit',
    timeZoneName: 'longOffset',
  });

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
