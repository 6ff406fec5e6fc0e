/** When a message goes out: at once, or gathered with others, and not at night. Pure. */
import { TZDate } from '@date-fns/tz';
import { SEVERITIES, type Severity } from '../exposure/exposure.ts';

/** How what is not urgent is gathered. */
export const GATHERS = {
  'at-once': 'at once',
  hourly: 'every hour',
  'four-hourly': 'every four hours',
  daily: 'once a day, at 8:00',
} as const;
export type Gather = keyof typeof GATHERS;
export const GATHER_NAMES = Object.keys(GATHERS) as Gather[];

/** How somebody wants to be told; hours by the clock of their time zone. */
export interface Wish {
  gather: Gather;
  zone: string;
  /** Between these hours only what is critical comes. */
  quiet: { from: number; until: number } | null;
}
/** From here on a message is urgent, where nobody says otherwise. */
export const URGENT_FROM: Severity = 'high';
/** So many come at once within an hour; what is more is gathered until the next. */
export const MOST_AN_HOUR = 5;

const EVERY: Record<Exclude<Gather, 'at-once'>, number> = { hourly: 1, 'four-hourly': 4, daily: 24 };
const DAILY_AT = 8;

/** The next full hour of a clock that a rhythm has, after a moment. */
function nextHour(now: Date, zone: string, fits: (hour: number) => boolean): Date {
  const at = new TZDate(now.getTime(), zone);
  // full hours of the clock, some of which may not be there, or twice
  const first = now.getTime() - (at.getMinutes() * 60_000 + at.getSeconds() * 1000 + at.getMilliseconds());
  for (let n = 1; ; n++) {
    const then = new Date(first + n * 3_600_000);
    if (n > 60 || fits(new TZDate(then.getTime(), zone).getHours())) return then;
  }
}

const isQuiet = ({ quiet, zone }: Wish, at: Date): boolean => {
  if (!quiet || quiet.from === quiet.until) return false;
  const hour = new TZDate(at.getTime(), zone).getHours();
  return quiet.from < quiet.until
    ? hour >= quiet.from && hour < quiet.until
    : hour >= quiet.from || hour < quiet.until;
};

/**
 * When a message is due, and whether it is gathered. `gathered`: it is not urgent, whatever its severity. `lately`: how many
 * went out to the same person at once within the last hour.
 */
export function dueOf(
  message: { severity: Severity; gathered?: boolean },
  wish: Wish,
  now: Date,
  lately: number,
  urgentFrom: Severity = URGENT_FROM,
): { due: Date; gathered: boolean } {
  const urgent = !message.gathered && SEVERITIES.indexOf(message.severity) >= SEVERITIES.indexOf(urgentFrom);
  const many = lately >= MOST_AN_HOUR;
  const gather = urgent || wish.gather === 'at-once' ? (many ? 'hourly' : undefined) : wish.gather;
  let due = now;
  if (gather)
    due = nextHour(now, wish.zone, (h) => (gather === 'daily' ? h === DAILY_AT : h % EVERY[gather] === 0));
  if (message.severity !== 'critical' && isQuiet(wish, due))
    due = nextHour(due, wish.zone, (h) => h === wish.quiet!.until);
  return { due, gathered: gather !== undefined || due > now };
}
