/** Texts of messages with fields: Liquid, in which only declared fields are known, and values are text whatever stands in them. */
import { Liquid } from 'liquidjs';
import { AppError } from '../errors.ts';

/** Tags that say when something is said; nothing that reads files or counts long. */
const TAGS = [
  'if',
  'unless',
  'else',
  'elsif',
  'case',
  'when',
  'for',
  'break',
  'continue',
  'assign',
  'capture',
  'comment',
  'raw',
  'echo',
];
const MOST = { render: 200, memory: 1_000_000, parse: 20_000 };

const liquid = new Liquid({
  strictVariables: true,
  strictFilters: true,
  // no file is read for a template
  templates: {},
  ownPropertyOnly: true,
  renderLimit: MOST.render,
  memoryLimit: MOST.memory,
  parseLimit: MOST.parse,
});
for (const tag of Object.keys(liquid.tags)) if (!TAGS.includes(tag)) delete liquid.tags[tag];

/** What is wrong with a text, in a sentence; undefined where nothing is. `fields`: those that there are, with dots. */
export function wrongTemplate(text: string, fields: readonly string[]): string | undefined {
  try {
    const known = new Set(fields.flatMap((f) => [f, f.split('.')[0]!]));
    for (const segments of liquid.globalVariableSegmentsSync(text)) {
      const name = segments.slice(0, 2).map(String).join('.');
      if (!known.has(name) || segments.length === 1)
        return `There is no field ${name} here. There are ${fields.join(', ')}.`;
    }
    return undefined;
  } catch (e) {
    return `It cannot be read: ${sentence(e)}`;
  }
}

const sentence = (e: unknown): string => {
  const [first = ''] = (e as Error).message.split('\n');
  return first.endsWith('.') ? first : `${first}.`;
};

/** Control characters, and those that turn the direction of what follows, in a value. */

const CONTROLS = /[\u0000-\u001f\u007f-\u009f\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff]+/g;
const LONGEST_VALUE = 300;

/** A name as a message says it: on one line, and no address that a reader could be led to. */
export function plainValue(value: string): string {
  const t = value.replace(CONTROLS, ' ').replaceAll('://', ':\u2060/\u2060/').trim();
  return t.length > LONGEST_VALUE ? `${t.slice(0, LONGEST_VALUE)}…` : t;
}

/** Fields by their names; those that end with `link` are our own addresses, `signal.files` has a line for each. */
export type Values = Readonly<Record<string, string | number>>;

/** The text with its values. Throws a sentence where it takes too long, or a value is missing that was declared. */
export function rendered(text: string, values: Values, fields: readonly string[]): string {
  const scope: Record<string, Record<string, string | number>> = {};
  for (const f of fields) {
    const [group, name] = f.split('.') as [string, string];
    const value = values[f] ?? '';
    (scope[group] ??= {})[name] =
      typeof value === 'number' || name === 'link'
        ? value
        : name === 'files'
          ? value.split('\n').map(plainValue).join('\n')
          : plainValue(value);
  }
  try {
    return (liquid.parseAndRenderSync(text, scope) as string).trim();
  } catch (e) {
    throw new AppError('template', 422, `The text cannot be filled in: ${sentence(e)}`);
  }
}
