/** Orders in sentences. */
import { reviewOf } from '../ask/kinds.ts';
import { EVENT_TYPES } from '../guard/events.ts';
import { SUBJECTS } from '../guard/kinds.ts';
import { durationMs } from '../guard/patterns.ts';
import { RESPONSES } from '../guard/responses.ts';
import type { MessageTo } from '../guard/schema.ts';
import { ANSWERS, type About, type BranchOn, type Step, type When } from './schema.ts';

const PARTS = [
  ['week', 604_800_000],
  ['day', 86_400_000],
  ['hour', 3_600_000],
  ['minute', 60_000],
  ['second', 1000],
] as const;
/** A duration of ISO 8601 in words; as it is written where it is none. */
export function spanWords(duration: string): string {
  let left = durationMs(duration);
  if (left === undefined) return duration;
  const said: string[] = [];
  for (const [name, ms] of PARTS) {
    const n = Math.floor(left / ms);
    left -= n * ms;
    if (n) said.push(`${n} ${name}${n === 1 ? '' : 's'}`);
  }
  return said.join(' ') || 'a moment';
}

const either = (list: readonly string[], word = 'or'): string =>
  list.length < 2 ? (list[0] ?? '') : `${list.slice(0, -1).join(', ')} ${word} ${list.at(-1)!}`;
/** A text as it goes on after other words; and one as a sentence of its own. */
export const lower = (t: string): string => t.slice(0, 1).toLowerCase() + t.slice(1);
export const sentence = (t: string): string => (/[.?!]$/.test(t) ? t : `${t}.`);

export const ABOUT_WORDS: Record<About, string> = {
  thing: 'what it is about',
  share: 'what was shared',
  actor: 'whoever did it',
  target: 'whom it was done with',
};

export function toWords(to: MessageTo): string {
  if ('owner' in to) return 'the owner';
  if ('stewards' in to) return 'the stewards';
  if ('actor' in to) return 'whoever did it';
  if ('target' in to) return 'whom it was done with';
  if ('manager' in to) return 'their manager';
  if ('sponsor' in to) return 'the sponsor';
  if ('group' in to) return `the group ${to.group}`;
  if ('channel' in to) return `the channel ${to.channel}`;
  return to.address;
}

export function whenWords(when: When): string {
  if ('event' in when)
    return `Somebody ${either(when.event.map((t) => (t.startsWith('decision.') || t === 'link.opened' ? EVENT_TYPES[t] : `${EVENT_TYPES[t]}${t.startsWith('file.') ? ' a file' : ''}`)))}`;
  if ('signal' in when) return `The signal “${when.signal}” is found`;
  if ('policy' in when) return `The rule ${when.rule} of the policy “${when.policy}” hits something`;
  const [one] = SUBJECTS[when.subject].words;
  return when.date
    ? `${spanWords(when.date.before)} before the date “${when.date.field}” of a ${one}`
    : `Again and again, for each ${one}`;
}

export function onWords(on: BranchOn): string {
  if ('answer' in on)
    return on.answer.length === 1 && on.answer[0] === 'none'
      ? 'nobody has answered'
      : `the answer is ${either(on.answer.map((a) => (a === 'none' ? 'none' : `“${lower(ANSWERS[a])}”`)))}`;
  if ('reason' in on) return `the reason given is ${either(on.reason.map((r) => `“${r}”`))}`;
  if ('still' in on) return 'it is still so';
  return 'if' in on ? `of what it is about, as it is now: ${on.if}` : `of what happened: ${on.event}`;
}

const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

/** A step in a sentence; of a branch, its question. */
export function stepWords(step: Step): string {
  switch (step.do) {
    case 'wait':
      return step.for
        ? `Wait ${spanWords(step.for)}`
        : `Wait until ${step.until!.weekday ? `${DAYS[step.until!.weekday - 1]!}, ` : ''}${step.until!.hour}:00`;
    case 'look':
      return `Look again: go on only if ${[step.still && 'it is still so', step.if && `this holds of what it is about: ${step.if}`].filter(Boolean).join(', and ')}`;
    case 'change':
      return `${RESPONSES[step.response.do].words}: ${ABOUT_WORDS[step.about]}`;
    case 'suspend-sharing':
      return `Suspend sharing by ${ABOUT_WORDS[step.about]}, until a steward lets them share again`;
    case 'tell':
      return `Tell ${either(step.to.map(toWords), 'and')}: ${step.subject}`;
    case 'ask':
      return `Ask ${either(step.to.map(toWords), 'and')}, and wait for an answer ${spanWords(step.within)} at most: ${step.subject}`;
    case 'review':
      return `Ask the owners of its space, in a round: ${lower(reviewOf(step.kind).name)}, within ${spanWords(`P${step.days}D`)}`;
    case 'branch':
      return `If ${onWords(step.on)}`;
    case 'accept':
      return `Accept it for ${spanWords(step.for)}: the run ends, and until then none begins about the same`;
    case 'stop':
      return 'Stop';
  }
}
