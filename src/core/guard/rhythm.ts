/** When a policy is judged at rest: a rule of recurrence as RFC 5545 §3.3.10 has it, at most once a day. */
import rrule from 'rrule';

const FREQUENCIES = ['DAILY', 'WEEKLY', 'MONTHLY', 'YEARLY'];
const PARTS = [
  'FREQ',
  'INTERVAL',
  'BYDAY',
  'BYMONTH',
  'BYMONTHDAY',
  'BYSETPOS',
  'BYHOUR',
  'BYMINUTE',
  'WKST',
];

/** What is wrong with a rhythm, in a sentence; undefined where it is one. */
export function wrongRhythm(text: string): string | undefined {
  const parts = new Map<string, string>();
  for (const part of text.split(';')) {
    const [key = '', value = ''] = part.split('=');
    if (!PARTS.includes(key)) return `“${key || part}” is none of ${PARTS.join(', ')}.`;
    if (parts.has(key)) return `${key} is there twice.`;
    parts.set(key, value);
  }
  const freq = parts.get('FREQ') ?? '';
  if (!FREQUENCIES.includes(freq))
    return `FREQ is one of ${FREQUENCIES.join(', ')}: nothing is judged more than once a day.`;
  for (const key of ['BYHOUR', 'BYMINUTE'])
    if (parts.get(key)?.includes(','))
      return `${key} takes one number: nothing is judged more than once a day.`;
  try {
    new rrule.RRule(rrule.RRule.parseString(text));
    return undefined;
  } catch {
    return 'It is no rule of recurrence, such as FREQ=DAILY;BYHOUR=5.';
  }
}
