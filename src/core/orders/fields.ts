/** What messages can say: the fields of templates, each declared once, and where there is which. */
import { whenKind, type Order, type Step, type WhenKind } from './schema.ts';

/** What a field is of, and what it says. Those of the order and of whoever reads it are always there. */
export const MESSAGE_FIELDS = {
  'reader.name': 'name of whoever reads it',
  'order.name': 'name of the order',
  'order.purpose': 'what the order is for',
  'run.link': 'address of the page that shows what was done, for stewards',
  'actor.name': 'who did it',
  'actor.department': 'their department',
  'event.did': 'what was done, such as “shared”',
  'event.told': 'what was done, as a sentence would say it: shared “Rates.xlsx” with …',
  'event.at': 'when, by the clock of whoever reads it',
  'event.device': 'on what kind of device',
  'event.times': 'how often this order has begun for the same person in 30 days, this one included',
  'target.name': 'whom it was done with',
  'target.domain': 'their domain, where they are outside',
  'thing.name': 'name of the file, folder, space or person',
  'thing.path': 'where it is',
  'thing.types': 'data types that it holds, with commas',
  'thing.label': 'its label',
  'thing.weight': 'how heavy it is, 0 to 4',
  'thing.owner': 'who owns it',
  'signal.name': 'name of the signal',
  'signal.events': 'how many events it has',
  'signal.files': 'names of its files, one a line',
  'answer.link': 'address of the page on which one answers',
  'answer.until': 'until when one can answer',
  'answer.said': 'what was answered',
  'answer.reason': 'the reason that was given',
  'answer.by': 'who answered',
  'change.did': 'what was changed last, or why it was not',
} as const;
export type MessageField = keyof typeof MESSAGE_FIELDS;

const ALWAYS = ['reader.', 'order.', 'run.'];
const BY_WHEN: Record<WhenKind, readonly string[]> = {
  event: ['actor.', 'event.', 'target.', 'thing.'],
  signal: ['actor.', 'event.', 'target.', 'thing.', 'signal.'],
  policy: ['thing.'],
  subject: ['thing.'],
};

/** The fields that a step of an order can use. `before`: the steps that a run has come past when it comes to it. */
export function fieldsFor(order: Pick<Order, 'when'>, step: Step, before: readonly Step[]): MessageField[] {
  const asked = before.some((s) => s.do === 'ask');
  const changed = before.some((s) => s.do === 'change' || s.do === 'suspend-sharing');
  return (Object.keys(MESSAGE_FIELDS) as MessageField[]).filter((f) => {
    if ([...ALWAYS, ...BY_WHEN[whenKind(order.when)]].some((p) => f.startsWith(p))) return true;
    if (f === 'answer.link' || f === 'answer.until') return step.do === 'ask';
    if (f.startsWith('answer.')) return asked;
    return f === 'change.did' && changed;
  });
}

/** Each step of an order with the steps that come before it on its way. */
export function* withBefore(
  steps: readonly Step[],
  before: readonly Step[] = [],
  at = 'steps',
): Generator<{ step: Step; before: readonly Step[]; at: string }> {
  const way = [...before];
  for (const [n, step] of steps.entries()) {
    const here = `${at}[${n}]`;
    yield { step, before: way, at: here };
    if (step.do === 'branch') {
      yield* withBefore(step.then, way, `${here}.then`);
      yield* withBefore(step.else, way, `${here}.else`);
      way.push(...step.then, ...step.else);
    }
    way.push(step);
  }
}
