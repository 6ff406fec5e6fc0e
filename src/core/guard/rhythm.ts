/** When a policy is judged at rest: a rule of recurrence as RFC 5545 §3.3.10 has it, at most once a day. */
import { TZDate } from '@date-fns/tz';
import rrule from 'rrule';

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
  const rule = new rrule.RRule({ ...rrule.RRule.parseString(rhythm), dtstart: ANCHOR });
  // a clock is never a day off
  for (let at = rule.after(new Date(after.getTime() - DAY_MS)); at; at = rule.after(at)) {
    const moment = momentOf(at, zone);
    if (moment > after) return moment;
  }
  return undefined;
}

/** By so much clocks are put back, in milliseconds: everywhere by an hour, on Lord Howe Island by half of one. */
const PUT_BACK = [3_600_000, 1_800_000];

/** When a clock first shows what one by UTC would. */
function momentOf(clock: Date, zone: string): Date {
  const [year, month, date] = [clock.getUTCFullYear(), clock.getUTCMonth(), clock.getUTCDate()];
  const shown = new TZDate(year, month, date, clock.getUTCHours(), clock.getUTCMinutes(), zone);
  const at = shown.getTime();
  const same = (other: TZDate): boolean =>
    other.getHours() === shown.getHours() && other.getMinutes() === shown.getMinutes();
  return new Date(PUT_BACK.map((ms) => at - ms).find((ms) => same(new TZDate(ms, zone))) ?? at);
}
