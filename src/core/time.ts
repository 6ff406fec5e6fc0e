/** A day, and what may follow it: the time of RFC 3339 §5.6. */
const SHAPE = /^(\d{4})-(\d\d)-(\d\d)(?:T(\d\d):(\d\d):(\d\d)(\.\d+)?(?:Z|([+-])(\d\d):(\d\d)))?$/i;

/** The moment that an RFC 3339 time names, or a day alone, in milliseconds since 1970; NaN where there is no such day or time. */
export function momentOf(text: string): number {
  const m = SHAPE.exec(text);
  if (!m) return NaN;
  const [year, month, day, hour, minute, second] = m.slice(1, 7).map((n) => Number(n ?? 0)) as [
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  const [away, past] = [Number(m[9] ?? 0), Number(m[10] ?? 0)];
  // a second 60 is a leap second
  if (hour > 23 || minute > 59 || second > 60 || away > 23 || past > 59) return NaN;
  const midnight = new Date(0).setUTCFullYear(year, month - 1, day);
  if (new Date(midnight).getUTCDate() !== day || month < 1 || month > 12 || day < 1) return NaN;
  const fraction = m[7] ? Math.trunc(Number(m[7]) * 1000) : 0;
  const offset = (m[8] === '-' ? -1 : 1) * (away * 60 + past) * 60_000;
  return midnight + ((hour * 60 + minute) * 60 + second) * 1000 + fraction - offset;
}
