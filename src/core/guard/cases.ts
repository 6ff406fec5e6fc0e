/** The cases beside a policy: what must hit, and what must not. */
import { compileFilter, FilterError, type Value } from '../filter/filter.ts';
import { CONSTANTS, FIELDS, type Field } from '../filter/fields.ts';
import { holdsIn, type Holding, type HoldingTypes } from '../filter/holds.ts';
import type { Found } from '../recognise/types.ts';
import { momentOf } from '../time.ts';
import type { Policy, PolicyCase, Rule } from './schema.ts';
import { SUBJECTS } from './kinds.ts';

interface CaseResult {
  name: string;
  rule: string;
  /** Whether the rule should hit, and whether it does; undefined where the case cannot be read, with why. */
  expected: boolean;
  hit: boolean;
}

const EMPTY: Record<Field['type'], Value> = {
  int: 0,
  string: '',
  bool: false,
  'list<string>': [],
  timestamp: NaN,
};

/** What the rules of a policy make of its cases; a rule is tried as if it were on, and everything as if in scope. */
export function casesOf(policy: Policy, types: HoldingTypes): CaseResult[] {
  return (policy.cases ?? []).flatMap((c) =>
    [
      ...(c.hits ?? []).map((rule) => ({ rule, expected: true })),
      ...(c.misses ?? []).map((rule) => ({ rule, expected: false })),
    ].map(({ rule, expected }) => ({
      name: c.name,
      rule,
      expected,
      hit: hits(
        policy,
        policy.rules.find((r) => r.id === rule)!,
        c,
        types,
      ),
    })),
  );
}

function hits(policy: Policy, rule: Rule, c: PolicyCase, types: HoldingTypes): boolean {
  const { fields } = SUBJECTS[c.subject];
  const getters = { ...gettersOf(c), holds: (_: null, asked: Holding) => holdsIn(foundOf(c), asked, types) };
  const taken = momentOf(typeof c.given?.taken === 'string' ? c.given.taken : '') || 0;
  return [policy.filter, rule.if].every((text) => compileFilter(text, fields, getters as never, taken)(null));
}

/** Fields as they are given. Throws a FilterError where a value is none of its field. */
function gettersOf(c: PolicyCase): Record<string, () => Value> {
  const fields: Readonly<Record<string, Field>> = FIELDS[SUBJECTS[c.subject].fields];
  for (const name of Object.keys(c.given ?? {}))
    if (name !== 'taken' && !Object.hasOwn(fields, name))
      throw new FilterError(`The case “${c.name}” gives “${name}”, and there is no such field.`);
  return Object.fromEntries(
    Object.entries(fields).map(([name, { type }]) => {
      const value = valueOf(c.given?.[name], type);
      if (value === undefined)
        throw new FilterError(`The case “${c.name}” gives “${name}” a value that is no ${type}.`);
      return [name, () => value];
    }),
  );
}

function valueOf(given: unknown, type: Field['type']): Value | undefined {
  if (given === undefined) return EMPTY[type];
  switch (type) {
    case 'int':
      return typeof given === 'number' ? given : typeof given === 'string' ? CONSTANTS[given] : undefined;
    case 'timestamp': {
      const moment = typeof given === 'string' ? momentOf(given) : NaN;
      return Number.isNaN(moment) ? undefined : moment;
    }
    case 'list<string>':
      return Array.isArray(given) ? (given as string[]) : undefined;
    case 'bool':
      return typeof given === 'boolean' ? given : undefined;
    default:
      return typeof given === 'string' ? given : undefined;
  }
}

type Holds = Pick<Found, 'dataType' | 'levels' | 'inParts'>;

/** What a case says of what the file holds, as if it had been found: each line is of values of its own. */
function foundOf(c: PolicyCase): Holds[] {
  const found = new Map<string, Required<Holds>>();
  for (const h of c.holds ?? []) {
    const distinct = h.distinct ?? 1;
    const occurrences = Math.max(distinct, h.occurrences ?? distinct);
    const part = h.part ?? 'body';
    let of = found.get(h.type);
    if (!of)
      found.set(h.type, (of = { dataType: h.type, levels: [], inParts: { occurrences: [], values: [] } }));
    of.levels.push([h.certainty, occurrences, distinct]);
    of.inParts.occurrences.push([part, h.certainty, occurrences]);
    of.inParts.values.push([{ [part]: h.certainty }, distinct]);
  }
  return [...found.values()];
}
