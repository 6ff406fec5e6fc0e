/**
 * Filters: conditions in the Common Expression Language (CEL) over a table's fields. The grammar and
 * the types are checked by a CEL library; what runs over a million rows is compiled here.
 */
import { Environment, type ASTNode } from '@marcbachmann/cel-js';
import { distance } from 'fastest-levenshtein';
import { costOf, patternOf, type Usual } from './cost.ts';
import { CONSTANTS, FIELDS, HOLDERS, type Field, type Filtered } from './fields.ts';
import { readHolding, type Holding } from './holds.ts';

/** What a field says of a row: a time is in milliseconds since 1970, NaN where there is none. */
export type Value = number | string | boolean | readonly string[];
export type Getters<Row, T extends Filtered> = {
  readonly [K in keyof (typeof FIELDS)[T]]: (row: Row) => ValueOf<(typeof FIELDS)[T][K]>;
} & {
  /** Of the tables that are `HOLDERS`. */
  readonly holds?: Holds<Row>;
};
/** Whether what a row stands for holds something. */
export type Holds<Row> = (row: Row, asked: Holding) => boolean;
type ValueOf<F> = F extends { type: 'int' | 'timestamp' }
  ? number
  : F extends { type: 'bool' }
    ? boolean
    : F extends { type: 'list<string>' }
      ? readonly string[]
      : string;

export class FilterError extends Error {
  override name = 'FilterError';
}
/** Filters longer than this are refused. */
export const LONGEST_FILTER = 2000;
/** Steps that a filter may take for a row at most, as estimated before it runs. */
export const MOST_STEPS = 3000;
/** Steps over all rows, about 10 ns each, after which a filter is given up. */
export const USUAL_STEPS = 20_000_000;
/** What is assumed of a row before it is known. */
const USUAL: Usual = { list: 8, text: 100 };

/** How many steps are left, for all rows together; whoever asks row by row fills it up. */
export interface Budget {
  left: number;
}
function spend(budget: Budget, steps: number): void {
  if ((budget.left -= steps) < 0)
    throw new FilterError(
      'This condition takes too long on what is here. Make it simpler, or ask about less.',
    );
}
const TIMESTAMP = 'google.protobuf.Timestamp';

/** A field of this name is read by another: the language has the name for itself. */
const TAKEN_NAME = 'type';
const STANDS_FOR = 'type_';
const LITERAL_OR_NAME = /"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|(?<![.\w])type(?!\w|\s*\()/g;
const readable = (filter: string, table: Filtered): string =>
  Object.hasOwn(FIELDS[table], TAKEN_NAME)
    ? filter.replace(LITERAL_OR_NAME, (part) => (part === TAKEN_NAME ? STANDS_FOR : part))
    : filter;
const fieldName = (name: string): string => (name === STANDS_FOR ? TAKEN_NAME : name);

const environments = new Map<Filtered, Environment>();
function environmentOf(table: Filtered): Environment {
  let env = environments.get(table);
  if (!env) {
    env = new Environment({ unlistedVariablesAreDyn: false, homogeneousAggregateLiterals: false });
    for (const [name, { type }] of Object.entries<Field>(FIELDS[table]))
      env.registerVariable(name === TAKEN_NAME ? STANDS_FOR : name, type === 'timestamp' ? TIMESTAMP : type);
    for (const [name, value] of Object.entries(CONSTANTS))
      if (!Object.hasOwn(FIELDS[table], name)) env.registerConstant(name, 'int', BigInt(value));
    env.registerVariable('taken', TIMESTAMP);
    if ((HOLDERS as readonly Filtered[]).includes(table))
      for (const args of ['string', 'string, map']) env.registerFunction(`holds(${args}): bool`, () => false);
    environments.set(table, env);
  }
  return env;
}

/** What a condition is compiled to: from a row and what macros have bound. */
type Run<Row> = (row: Row, bound: Record<string, string>) => Value;

/**
 * Compiles a filter for a table; none holds of every row. `taken`: the moment that the word stands for,
 * in milliseconds. `budget`: steps over all rows. Throws a FilterError that says what is wrong, in a sentence,
 * where it cannot be read; what it returns throws one where the budget is spent.
 */
export function compileFilter<Row, T extends Filtered>(
  filter: string | undefined,
  table: T,
  getters: Getters<Row, T>,
  taken = 0,
  budget: number | Budget = USUAL_STEPS,
): (row: Row) => boolean {
  if (!filter) return () => true;
  const ast = checkFilter(filter, table);
  const { steps } = costOf(ast, USUAL);
  const spent = typeof budget === 'number' ? { left: budget } : budget;
  const run = compile(ast, getters as Record<string, (row: Row) => Value>, taken, new Set(), spent);
  const none = {};
  return (row) => {
    spend(spent, steps);
    return run(row, none) === true;
  };
}

/** Whether a row holds a text, in any case, and fits a filter: what a table's box asks. */
export function rowTest<Row, T extends Filtered>(
  q: { text?: string | undefined; where?: string | undefined },
  table: T,
  getters: Getters<Row, T>,
  taken: number,
  budget?: number | Budget,
): (row: Row) => boolean {
  const text = q.text?.toLowerCase();
  const fits = compileFilter(q.where, table, getters, taken, budget);
  return (row) => (!text || getters.text(row).includes(text)) && fits(row);
}

/** Reads a filter and checks it against the fields of a table. Throws a FilterError. */
export function checkFilter(filter: string, table: Filtered): ASTNode {
  if (filter.length > LONGEST_FILTER)
    throw new FilterError(`A filter has at most ${LONGEST_FILTER} characters.`);
  let ast: ASTNode;
  try {
    const parsed = environmentOf(table).parse(readable(filter, table));
    ({ ast } = parsed);
    const { valid, type, error } = parsed.check();
    if (!valid) throw error ?? new Error('it does not fit together');
    if (type !== 'bool') throw new Error(`it gives ${type}, and a condition is true or false`);
  } catch (e) {
    throw new FilterError(said(e as Error, table));
  }
  compile(ast, FIELDS[table], 0, new Set(), { left: 0 });
  const { steps } = costOf(ast, USUAL);
  if (steps > MOST_STEPS)
    throw new FilterError(
      `This condition would take some ${Math.round(steps).toLocaleString('en')} steps for each row; ${MOST_STEPS.toLocaleString('en')} are the most. Lists within lists multiply, and so do long patterns.`,
    );
  return ast;
}

/** Every part of a filter that is read, each with its parts. */
function* partsOf(node: unknown): Generator<ASTNode> {
  if (Array.isArray(node)) for (const n of node) yield* partsOf(n);
  else if (node !== null && typeof node === 'object' && 'op' in node) {
    yield node as ASTNode;
    yield* partsOf((node as ASTNode).args);
  }
}

/** What a filter asks of what files hold. */
export const holdingsOf = (filter: string, table: Filtered): Holding[] =>
  [...partsOf(checkFilter(filter, table))].flatMap((node) =>
    node.op === 'call' && node.args[0] === 'holds'
      ? readHolding(node.args[1], (why) => {
          throw new FilterError(why);
        })
      : [],
  );

/** What is otherwise from one day to the next though nothing was changed. */
const OF_THE_MOMENT = ['taken', 'points', 'severity', 'idleDays', 'dormant'];
/** Whether what a filter says of a row may change with the moment alone. */
export const asksTheMoment = (filter: string, table: Filtered): boolean =>
  [...partsOf(checkFilter(filter, table))].some(
    (node) => node.op === 'id' && OF_THE_MOMENT.includes(node.args),
  );

/** The fields that a filter asks about, each once. */
export const fieldsOf = (filter: string, table: Filtered): string[] => [
  ...new Set(
    [...partsOf(checkFilter(filter, table))].flatMap((node) =>
      node.op === 'id' && Object.hasOwn(FIELDS[table], fieldName(node.args)) ? fieldName(node.args) : [],
    ),
  ),
];

function said(e: Error, table: Filtered): string {
  const first = e.message.split('\n')[0]!.trim();
  const unknown = /Unknown variable: (\w+)/.exec(first)?.[1];
  if (!unknown) return `The filter cannot be read: ${first}.`;
  const names = [...Object.keys(FIELDS[table]), ...Object.keys(CONSTANTS)];
  const near = names.sort((a, b) => distance(a, unknown) - distance(b, unknown))[0]!;
  return distance(near, unknown) <= 2
    ? `There is no “${unknown}” here. Is “${near}” meant?`
    : `There is no “${unknown}” here. Text is written in quotes: "${unknown}".`;
}

function compile<Row>(
  node: ASTNode,
  fields: Record<string, ((row: Row) => Value) | Field>,
  taken: number,
  bound: ReadonlySet<string>,
  budget: Budget,
): Run<Row> {
  const sub = (n: ASTNode): Run<Row> => compile(n, fields, taken, bound, budget);
  const cannot = (what: string): never => {
    throw new FilterError(`A filter cannot use ${what}.`);
  };
  const both = (args: readonly ASTNode[], of: (a: Value, b: Value) => Value): Run<Row> => {
    const [a, b] = [sub(args[0]!), sub(args[1]!)];
    return (row, x) => of(a(row, x), b(row, x));
  };
  switch (node.op) {
    case 'value': {
      const value = node.args;
      if (typeof value === 'bigint') return () => Number(value);
      if (typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean')
        return () => value;
      return cannot('this kind of value');
    }
    case 'id': {
      const name = fieldName(node.args);
      if (bound.has(name)) return (_, x) => x[name]!;
      if (name === 'taken') return () => taken;
      const get = Object.hasOwn(fields, name) ? fields[name] : undefined;
      if (typeof get === 'function') return (row) => get(row);
      if (get) return () => 0;
      const constant = CONSTANTS[name];
      return constant === undefined ? cannot(`“${name}”`) : () => constant;
    }
    case '&&': {
      const [a, b] = [sub(node.args[0]), sub(node.args[1])];
      return (row, x) => a(row, x) === true && b(row, x) === true;
    }
    case '||': {
      const [a, b] = [sub(node.args[0]), sub(node.args[1])];
      return (row, x) => a(row, x) === true || b(row, x) === true;
    }
    case '?:': {
      const [a, b, c] = node.args.map(sub) as [Run<Row>, Run<Row>, Run<Row>];
      return (row, x) => (a(row, x) === true ? b(row, x) : c(row, x));
    }
    case '!_': {
      const a = sub(node.args);
      return (row, x) => a(row, x) !== true;
    }
    case '-_': {
      const a = sub(node.args);
      return (row, x) => -(a(row, x) as number);
    }
    case '==':
      return both(node.args, same);
    case '!=':
      return both(node.args, (a, b) => !same(a, b));
    case '<':
      return both(node.args, (a, b) => a < b);
    case '<=':
      return both(node.args, (a, b) => a <= b);
    case '>':
      return both(node.args, (a, b) => a > b);
    case '>=':
      return both(node.args, (a, b) => a >= b);
    case '+':
      return both(node.args, (a, b) =>
        typeof a === 'string'
          ? a + (b as string)
          : Array.isArray(a)
            ? [...(a as string[]), ...(b as string[])]
            : (a as number) + (b as number),
      );
    case '-':
      return both(node.args, (a, b) => (a as number) - (b as number));
    case '*':
      return both(node.args, (a, b) => (a as number) * (b as number));
    case 'in':
      return both(node.args, (a, b) => (b as readonly Value[]).includes(a));
    case 'list': {
      const all = node.args.map(sub);
      return (row, x) => all.map((a) => a(row, x)) as string[];
    }
    case 'call': {
      const [name, args] = node.args;
      const literal = args[0]?.op === 'value' && typeof args[0].args === 'string' ? args[0].args : undefined;
      if (name === 'size') {
        const a = sub(args[0]!);
        return (row, x) => lengthOf(a(row, x));
      }
      if ((name === 'timestamp' || name === 'duration') && literal !== undefined) {
        const ms = name === 'timestamp' ? Date.parse(literal) : durationOf(literal);
        if (Number.isNaN(ms)) throw new FilterError(`“${literal}” is no ${name}.`);
        return () => ms;
      }
      if (name === 'holds') {
        const asked = readHolding(args, (why) => {
          throw new FilterError(why);
        });
        const holds = fields['holds'] as Holds<Row> | undefined;
        return (row) => holds?.(row, asked) ?? false;
      }
      return cannot(`${name}()`);
    }
    case 'rcall': {
      const [name, target, args] = node.args;
      const of = sub(target);
      if (name === 'size') return (row, x) => lengthOf(of(row, x));
      if (name === 'exists' || name === 'all' || name === 'exists_one') {
        if (args[0]?.op !== 'id' || args.length !== 2) return cannot(`${name}() like this`);
        const variable = args[0].args;
        const test = compile(args[1]!, fields, taken, new Set([...bound, variable]), budget);
        const each = 1 + costOf(args[1]!, USUAL).steps;
        return (row, x) => {
          const list = of(row, x) as readonly string[];
          if (list.length > USUAL.list) spend(budget, (list.length - USUAL.list) * each);
          const holds = (item: string): boolean => test(row, { ...x, [variable]: item }) === true;
          return name === 'exists'
            ? list.some(holds)
            : name === 'all'
              ? list.every(holds)
              : list.filter(holds).length === 1;
        };
      }
      if (name === 'matches') {
        if (args[0]?.op !== 'value' || typeof args[0].args !== 'string')
          return cannot('a pattern that is not written out');
        // in linear time, as the language asks for (RE2), whatever the pattern
        let pattern: ReturnType<typeof patternOf>;
        try {
          pattern = patternOf(args[0].args);
        } catch (e) {
          throw new FilterError(`The pattern cannot be read: ${(e as Error).message}.`);
        }
        return (row, x) => {
          const text = of(row, x) as string;
          if (text.length > USUAL.text) spend(budget, (text.length - USUAL.text) * pattern.steps);
          return pattern.re.matcher(text).find();
        };
      }
      const arg = args[0] && sub(args[0]);
      const text =
        (use: (a: string, b: string) => Value): Run<Row> =>
        (row, x) =>
          use(of(row, x) as string, arg!(row, x) as string);
      if (name === 'contains') return text((a, b) => a.includes(b));
      if (name === 'startsWith') return text((a, b) => a.startsWith(b));
      if (name === 'endsWith') return text((a, b) => a.endsWith(b));
      if (name === 'lowerAscii')
        return (row, x) => (of(row, x) as string).replace(/[A-Z]/g, (c) => c.toLowerCase());
      return cannot(`${name}()`);
    }
    default:
      return cannot(`“${node.op}”`);
  }
}

const same = (a: Value, b: Value): boolean =>
  Array.isArray(a) && Array.isArray(b) ? a.length === b.length && a.every((x, i) => x === b[i]) : a === b;
/** Of a text the code points, as the language counts. */
const lengthOf = (v: Value): number =>
  typeof v === 'string' ? [...v].length : (v as readonly string[]).length;

const UNITS: Readonly<Record<string, number>> = { h: 3_600_000, m: 60_000, s: 1000, ms: 1 };
/** A duration as Go and CEL write it, in milliseconds; NaN where it is none. */
function durationOf(text: string): number {
  const parts = [...text.replace(/^-/, '').matchAll(/(\d+(?:\.\d+)?)(ms|h|m|s)/g)];
  if (!parts.length || parts.map((p) => p[0]).join('') !== text.replace(/^-/, '')) return NaN;
  return (text.startsWith('-') ? -1 : 1) * parts.reduce((n, p) => n + Number(p[1]) * UNITS[p[2]!]!, 0);
}
