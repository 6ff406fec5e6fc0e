/** When a policy is judged at rest: a rule of recurrence as RFC 5545 §3.3.10 has it, at most once a day. */
import { TZDate } from '@date-fns/tz';
import rrule, { type Options } from 'rrule';

const FREQUENCIES = ['DAILY', 'WEEKLY', 'MONTHLY', 'YEARLY'];
const list = (one: string): RegExp => new RegExp(`^(?:${one})(?:,(?:${one}))*$`);
const DAY = 'MO|TU|WE|TH|FR|SA|SU';
/** What each part of a rule may be (RFC 5545 §3.3.10); of hours and minutes one alone, and nothing smaller. */
const PARTS: Readonly<Record<string, RegExp>> = {
  FREQ: /^[A-Z]+$/,
  INTERVAL: /^[1-9]\d{0,2}$/,
  BYDAY: list(`(?:[+-]?[1-5]?\\d)?(?:${DAY})`),
  BYMONTH: list('[1-9]|1[0-2]'),
  BYMONTHDAY: list('[+-]?(?:[1-9]|[12]\\d|3[01])'),
  BYSETPOS: list('[+-]?[1-9]\\d{0,2}'),
  BYHOUR: /^(?:1?\d|2[0-3])$/,
  BYMINUTE: /^[1-5]?\d$/,
  WKST: new RegExp(`^(?:${DAY})$`),
};

/** What is wrong with a rhythm, in a sentence; undefined where it is one. */
export function wrongRhythm(text: string): string | undefined {
  const parts = new Map<string, string>();
  for (const part of text.split(';')) {
    const [key = '', value = ''] = part.split('=');
    const shape = Object.hasOwn(PARTS, key) ? PARTS[key]! : undefined;
    if (!shape) return `“${key || part}” is none of ${Object.keys(PARTS).join(', ')}.`;
    if (parts.has(key)) return `${key} is there twice.`;
    if (!shape.test(value))
      return `${key}=${value} cannot be read${key === 'BYHOUR' || key === 'BYMINUTE' ? ': it takes one number, as nothing is judged more than once a day' : ''}.`;
    parts.set(key, value);
  }
  const freq = parts.get('FREQ') ?? '';
  if (!FREQUENCIES.includes(freq))
    return `FREQ is one of ${FREQUENCIES.join(', ')}: nothing is judged more than once a day.`;
  return nextOf(text, ANCHOR) ? undefined : 'It never comes.';
}

/** From here rhythms are counted, where they do not say: a Monday, the first of a month. */
const ANCHOR = new Date('2024-01-01T00:00:00Z');

const DAY_MS = 86_400_000;

/**
 * The next time of a rhythm after a moment, by the clock of a time zone; undefined where there is none. A time that a change
 * of the clock leaves out comes as much later as the clock was put forward, one that comes twice is the earlier of the two
 * (Temporal's “compatible”).
 */
export function nextOf(rhythm: string, after: Date, zone = 'UTC'): Date | undefined {
  // a clock is never a day off
  const from = new Date(after.getTime() - DAY_MS);
  const parts = rrule.RRule.parseString(rhythm);
  const rule = new rrule.RRule({ ...parts, dtstart: startNear(from, parts) });
  for (let at = rule.after(from); at; at = rule.after(at)) {
    const moment = momentOf(at, zone);
    if (moment > after) return moment;
  }
  return undefined;
}

/** The last start of a period at or before a moment: a rule goes on from there as it does from where rhythms are counted. */
function startNear(at: Date, { freq, interval = 1 }: Partial<Options>): Date {
  const start = new Date(ANCHOR);
  const periods = (length: number): number => Math.max(0, Math.floor(length / interval)) * interval;
  const years = at.getUTCFullYear() - ANCHOR.getUTCFullYear();
  const days = (at.getTime() - ANCHOR.getTime()) / DAY_MS;
  if (freq === rrule.RRule.YEARLY) start.setUTCFullYear(ANCHOR.getUTCFullYear() + periods(years));
  else if (freq === rrule.RRule.MONTHLY) start.setUTCMonth(periods(years * 12 + at.getUTCMonth()));
  else if (freq === rrule.RRule.WEEKLY) start.setUTCDate(1 + 7 * periods(days / 7));
  else start.setUTCDate(1 + periods(days));
  return start;
}

/** By so much clocks are put back, in milliseconds: everywhere by an hour, on Lord Howe Island by half of one. */
const PUT_BACK = [3_600_000, 1_800_000];

/** When a clock first shows what one by UTC would. */
function momentOf(clock: Date, zone: string): Date {
  const [year, month, date] = [clock.getUTCFullYear(), clock.getUTCMonth(), clock.getUTCDate()];
  return firstShown(new TZDate(year, month, date, clock.getUTCHours(), clock.getUTCMinutes(), zone), zone);
}

/** When the clock of a time zone first shows a time: a time that it shows twice is the earlier of the two. */
export function firstShown(shown: TZDate, zone: string): Date {
  const at = shown.getTime();
  const same = (other: TZDate): boolean =>
    other.getHours() === shown.getHours() && other.getMinutes() === shown.getMinutes();
  return new Date(PUT_BACK.map((ms) => at - ms).find((ms) => same(new TZDate(ms, zone))) ?? at);
}
