/** Reads an order, and says all that is wrong with it. Pure. */
import { FIELDS, type Filtered } from '../filter/fields.ts';
import { checkFilter, FilterError } from '../filter/filter.ts';
import { SUBJECTS } from '../guard/kinds.ts';
import { issuesOf, type Wrong } from '../guard/policy.ts';
import { possibleAt, RESPONSES, TELLING } from '../guard/responses.ts';
import { wrongRhythm } from '../guard/rhythm.ts';
import { fieldsFor, withBefore } from './fields.ts';
import {
  ofEvents,
  orderSchema,
  subjectsAbout,
  thingSubject,
  tooLarge,
  type Order,
  type Step,
} from './schema.ts';

/** What order comes of a text of JSON; `template` says what is wrong with the text of a message. */
export function readOrder(
  given: unknown,
  template: (text: string, fields: readonly string[]) => string | undefined,
): { order?: Order; wrong: Wrong[] } {
  const parsed = orderSchema.safeParse(given);
  if (!parsed.success) return { wrong: issuesOf(parsed.error) };
  const order = parsed.data;
  const wrong: Wrong[] = [];
  const large = tooLarge(order.steps);
  if (large) wrong.push({ at: 'steps', why: large });
  const ask = (at: string, text: string | undefined, table: Filtered): void => {
    if (text === undefined) return;
    try {
      checkFilter(text, table);
    } catch (e) {
      if (!(e instanceof FilterError)) throw e;
      wrong.push({ at, why: e.message });
    }
  };
  const { when } = order;
  const did = ofEvents(when);
  const table = SUBJECTS[thingSubject(when)].fields;
  if ('rhythm' in when) {
    const why = wrongRhythm(when.rhythm);
    if (why) wrong.push({ at: 'when.rhythm', why });
    const field = when.date && (FIELDS[table] as Record<string, { type: string }>)[when.date.field];
    if (when.date && field?.type !== 'timestamp')
      wrong.push({
        at: 'when.date.field',
        why: `“${when.date.field}” is no date of a ${SUBJECTS[when.subject].words[0]}.`,
      });
    if (!when.date && !order.if)
      wrong.push({
        at: 'if',
        why: 'It says of which it is: without a condition it would begin for all of them.',
      });
  }
  if ('policy' in when && order.if) wrong.push({ at: 'if', why: 'The rule has its own condition.' });
  else ask('if', order.if, did ? 'events' : table);
  for (const { step, before, at } of withBefore(order.steps)) {
    if (step.do === 'look') ask(`${at}.if`, step.if, table);
    if (step.do === 'branch') {
      if ('if' in step.on) ask(`${at}.on.if`, step.on.if, table);
      if ('event' in step.on) {
        if (did) ask(`${at}.on.event`, step.on.event, 'events');
        else wrong.push({ at: `${at}.on.event`, why: 'This order begins with no event.' });
      }
      if (('answer' in step.on || 'reason' in step.on) && !before.some((s) => s.do === 'ask'))
        wrong.push({ at: `${at}.on`, why: 'Nobody was asked before.' });
    }
    if (step.do === 'change') {
      const why = wrongChange(order, step);
      if (why) wrong.push({ at: `${at}.response.do`, why });
    }
    if ('about' in step && step.about !== 'thing' && !did)
      wrong.push({
        at: `${at}.about`,
        why: 'It begins with no event: nobody did it, and nothing was shared.',
      });
    if (step.do !== 'tell' && step.do !== 'ask') continue;
    for (const key of ['subject', 'text'] as const) {
      const why = template(step[key], fieldsFor(order, step, before));
      if (why) wrong.push({ at: `${at}.${key}`, why });
    }
    step.to.forEach((to, n) => {
      if (
        ('actor' in to || 'target' in to || 'manager' in to) &&
        !did &&
        !('manager' in to && 'subject' in when && when.subject === 'identity')
      )
        wrong.push({ at: `${at}.to[${n}]`, why: 'It begins with no event: nobody did it.' });
    });
  }
  return wrong.length ? { wrong } : { order, wrong };
}

function wrongChange(
  { when }: Order,
  { about, response }: Extract<Step, { do: 'change' }>,
): string | undefined {
  if (response.do === 'charter') return 'Charters are given by a rule, by owners or by hand.';
  if (TELLING.includes(response.do)) return 'An order has steps of its own for this.';
  if (about === 'thing' && 'policy' in when) return undefined;
  const subjects = subjectsAbout(when, about);
  return subjects.some((s) => possibleAt(response.do, s, 'atRest'))
    ? undefined
    : `“${RESPONSES[response.do].words}” cannot be done about ${SUBJECTS[subjects[0]!].words[1]}.`;
}
