/** A day, and what may follow it: the time of RFC 3339 §5.6. */
const SHAPE = /^\d{4}-\d\d-\d\d(?:T\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d))?$/i;
/** The number that two digits stand for. */
const two = (text: string, at: number): number =>
  (text.charCodeAt(at) - 48) * 10 + text.charCodeAt(at + 1) - 48;
const DAYS = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

/** The moment that an RFC 3339 time names, or a day alone, in milliseconds since 1970; NaN where there is no such day or time. */
export function momentOf(text: string): number {
  const m = SHAPE.exec(text);
  if (!m) return NaN;
  const [year, month, day] = [two(text, 0) * 100 + two(text, 2), two(text, 5), two(text, 8)];
  const leap = month === 2 && (year % 4 === 0 && year % 100 !== 0 ? true : year % 400 === 0);
  if (day < 1 || !(day <= DAYS[month - 1]! + (leap ? 1 : 0))) return NaN;
  // years before 100 are of the first century, and not of the twentieth
  const midnight =
    year < 100 ? new Date(0).setUTCFullYear(year, month - 1, day) : Date.UTC(year, month - 1, day);
  if (m[2] === undefined) return midnight;
  const [hour, minute, second] = [two(text, 11), two(text, 14), two(text, 17)];
  // a second 60 is a leap second
  if (hour > 23 || minute > 59 || second > 60) return NaN;
  const fraction = m[1] ? Math.trunc(Number(m[1]) * 1000) : 0;
  const moment = midnight + ((hour * 60 + minute) * 60 + second) * 1000 + fraction;
  if (m[2].length === 1) return moment;
  const at = text.length - 5;
  const [away, past] = [two(text, at), two(text, at + 3)];
  if (away > 23 || past > 59) return NaN;
  return moment - (m[2].startsWith('-') ? -1 : 1) * (away * 60 + past) * 60_000;
}

/** The day of a moment, by UTC. */
export const dayAt = (ms: number): string => new Date(ms).toISOString().slice(0, 10);

/** A moment in milliseconds since 1970 as RFC 3339 writes it; null where there is none, or no end. */
export const isoOf = (ms: number): string | null =>
  ms > 0 && ms < Infinity ? new Date(ms).toISOString() : null;
