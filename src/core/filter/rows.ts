/**
 * A condition as rows: fields compared with values, in groups of which all, any or none hold. What rows cannot show stays
 * text. Reading and writing keep the meaning; a condition that was written from rows is read as the same rows.
 */
import { CONSTANTS, FIELDS, type Field, type FieldType, type Filtered } from './fields.ts';

/** What stands beside a comparison: nothing, a text, several, a whole number, days, or a day. */
export type Takes = 'nothing' | 'text' | 'texts' | 'number' | 'days' | 'day';
export interface Comparison {
  words: string;
  takes: Takes;
  /** As it is written: `F` stands for the field, `V` for the value. */
  as: string;
}

const compare = (words: string, takes: Takes, as: string): Comparison => ({ words, takes, as });
export const COMPARISONS = {
  int: [
    compare('is at least', 'number', 'F >= V'),
    compare('is at most', 'number', 'F <= V'),
    compare('is', 'number', 'F == V'),
    compare('is not', 'number', 'F != V'),
    compare('is more than', 'number', 'F > V'),
    compare('is less than', 'number', 'F < V'),
  ],
  string: [
    compare('is empty', 'nothing', 'F == ""'),
    compare('is not empty', 'nothing', 'F != ""'),
    compare('is', 'text', 'F == V'),
    compare('is not', 'text', 'F != V'),
    compare('is one of', 'texts', 'F in V'),
    compare('is none of', 'texts', '!(F in V)'),
    compare('contains', 'text', 'F.contains(V)'),
    compare('does not contain', 'text', '!F.contains(V)'),
    compare('begins with', 'text', 'F.startsWith(V)'),
    compare('ends with', 'text', 'F.endsWith(V)'),
    compare('matches the pattern', 'text', 'F.matches(V)'),
  ],
  bool: [compare('is so', 'nothing', 'F'), compare('is not so', 'nothing', '!F')],
  'list<string>': [
    compare('include', 'text', 'V in F'),
    compare('do not include', 'text', '!(V in F)'),
    compare('have one that contains', 'text', 'F.exists(x, x.contains(V))'),
    compare('are none', 'nothing', 'size(F) == 0'),
    compare('are some', 'nothing', 'size(F) > 0'),
    compare('are at least', 'number', 'size(F) >= V'),
  ],
  timestamp: [
    compare('is more than … days ago', 'days', 'F < taken - duration(V)'),
    compare('is within the last … days', 'days', 'F > taken - duration(V)'),
    compare('is within the next … days, or past', 'days', 'F < taken + duration(V)'),
    compare('is before', 'day', 'F < timestamp(V)'),
    compare('is on or after', 'day', 'F >= timestamp(V)'),
  ],
} as const satisfies Record<FieldType, readonly Comparison[]>;

/** What is asked of what a file holds, as it is written. */
export interface HoldsSettings {
  certainty?: number | string;
  distinct?: number;
  occurrences?: number;
  parts?: string[];
}
export type Condition =
  | { field: string; as: string; value: string }
  | { field: string; as: string; values: string[] }
  | { holds: string; not: boolean; settings: HoldsSettings }
  | { text: string }
  | ConditionGroup;
export interface ConditionGroup {
  of: 'all' | 'any' | 'none';
  rows: Condition[];
}

export const isGroup = (row: Condition): row is ConditionGroup => 'of' in row;
/** The comparison of a row; undefined where the field has none like it. */
export const comparisonOf = (field: Field, as: string): Comparison | undefined =>
  (COMPARISONS[field.type] as readonly Comparison[]).find((c) => c.as === as);

const HOURS = 24;
const fieldIn = (table: Filtered, name: string): Field | undefined =>
  Object.hasOwn(FIELDS[table], name) ? (FIELDS[table] as Record<string, Field>)[name] : undefined;

/** A value as it is written; undefined where it is not finished. */
function valueText(takes: Takes, row: { value: string } | { values: string[] }): string | undefined {
  if ('values' in row) return row.values.length ? JSON.stringify(row.values) : undefined;
  const { value } = row;
  switch (takes) {
    case 'nothing':
      return '';
    case 'text':
    case 'texts':
      return JSON.stringify(value);
    case 'number':
      return /^-?\d{1,15}$/.test(value) || Object.hasOwn(CONSTANTS, value) ? value : undefined;
    case 'days':
      return /^\d{1,5}$/.test(value) ? `"${Number(value) * HOURS}h"` : undefined;
    case 'day':
      return /^\d{4}-\d\d-\d\d$/.test(value) ? `"${value}T00:00:00Z"` : undefined;
  }
}

function writeOne(row: Condition, table: Filtered): string | undefined {
  if (isGroup(row)) return writeGroup(row, table);
  if ('text' in row) return row.text.trim() || undefined;
  if ('holds' in row) {
    if (!row.holds) return undefined;
    const settings = Object.keys(row.settings).length ? `, ${JSON.stringify(row.settings)}` : '';
    return `${row.not ? '!' : ''}holds(${JSON.stringify(row.holds)}${settings})`;
  }
  const field = fieldIn(table, row.field);
  const comparison = field && comparisonOf(field, row.as);
  const value = comparison && valueText(comparison.takes, row);
  return value === undefined
    ? undefined
    : row.as.replace(/[FV]/g, (place) => (place === 'F' ? row.field : value));
}

/** What binds looser than what it is put beside stands in brackets. */
const bracketed = (text: string, loose: RegExp): string => (topLevel(text, loose) ? `(${text})` : text);

function writeGroup({ of, rows }: ConditionGroup, table: Filtered): string | undefined {
  const parts = rows.flatMap((r) => writeOne(r, table) ?? []);
  if (!parts.length) return undefined;
  const either = parts.map((p) => bracketed(p, /^\?/)).join(' || ');
  if (of === 'none') return `!(${either})`;
  if (parts.length === 1) return parts[0];
  return of === 'any' ? either : parts.map((p) => bracketed(p, /^(\|\||\?)/)).join(' && ');
}

/** Rows as a condition; rows that are not finished are left out. Empty where there are none. */
export const writeRows = (group: ConditionGroup, table: Filtered): string => writeGroup(group, table) ?? '';

/** Places of a text that stand in no quotes, each with how deep in brackets. */
function* places(text: string): Generator<[at: number, depth: number]> {
  let depth = 0;
  let quote = '';
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (quote) {
      if (c === '\\') i++;
      else if (c === quote) quote = '';
      continue;
    }
    if (c === '"' || c === "'") quote = c;
    if (')]}'.includes(c)) depth--;
    yield [i, depth];
    if ('([{'.includes(c)) depth++;
  }
}

const topLevel = (text: string, sign: RegExp): boolean => {
  for (const [at, depth] of places(text)) if (depth === 0 && sign.test(text.slice(at, at + 2))) return true;
  return false;
};

/** A text split where a sign of two letters stands in no brackets and no quotes. */
function splitAt(text: string, sign: '&&' | '||'): string[] {
  const parts: string[] = [];
  let from = 0;
  for (const [at, depth] of places(text))
    if (depth === 0 && at >= from && text.startsWith(sign, at)) {
      parts.push(text.slice(from, at));
      from = at + sign.length;
    }
  parts.push(text.slice(from));
  return parts.map((p) => p.trim());
}

/** What stands in the brackets that begin at a place and end with the text. */
function within(text: string, open: number): string | undefined {
  if (text[open] !== '(') return undefined;
  for (const [at, depth] of places(text))
    if (at > open && depth === 0 && text[at] === ')')
      return at === text.length - 1 ? text.slice(open + 1, at).trim() : undefined;
  return undefined;
}

const QUOTED = String.raw`("(?:[^"\\]|\\.)*"|'[^'\\]*')`;
const VALUES: Record<Exclude<Takes, 'nothing'>, string> = {
  text: QUOTED,
  texts: String.raw`(\[[^\]]*\])`,
  number: String.raw`(-?\d{1,15}|[a-z]+)`,
  days: String.raw`"(\d{1,7})h"`,
  day: String.raw`"(\d{4}-\d\d-\d\d)T00:00:00Z"`,
};

/** How each comparison of a field is read, by what it is written as; made when first wanted. */
const patterns = new Map<string, RegExp>();
function patternOf(name: string, { as, takes }: Comparison): RegExp {
  const key = `${name} ${as}`;
  let pattern = patterns.get(key);
  if (!pattern) {
    const source = as
      .match(/\w+|""|[=!<>]+|[^\s\w]/g)!
      .map((token) =>
        token === 'F'
          ? String.raw`\b${name}\b`
          : token === 'V' && takes !== 'nothing'
            ? VALUES[takes]
            : /\w/.test(token)
              ? String.raw`\b${token}\b`
              : token.replace(/[^\w]/g, String.raw`\$&`),
      )
      .join(String.raw`\s*`);
    patterns.set(key, (pattern = new RegExp(`^${source}$`)));
  }
  return pattern;
}

const unquoted = (quoted: string): string | undefined => {
  if (quoted.startsWith("'")) return quoted.slice(1, -1);
  try {
    return JSON.parse(quoted) as string;
  } catch {
    return undefined;
  }
};

/** What is read of a comparison's value, as rows keep it. */
function valueOf(takes: Takes, text: string): { value: string } | { values: string[] } | undefined {
  switch (takes) {
    case 'nothing':
      return { value: '' };
    case 'text': {
      const value = unquoted(text);
      return value === undefined ? undefined : { value };
    }
    case 'texts':
      try {
        const values = JSON.parse(text) as unknown[];
        return values.length && values.every((v) => typeof v === 'string') ? { values } : undefined;
      } catch {
        return undefined;
      }
    case 'number':
      return /^-?\d+$/.test(text) || Object.hasOwn(CONSTANTS, text) ? { value: text } : undefined;
    case 'days':
      return Number(text) % HOURS ? undefined : { value: String(Number(text) / HOURS) };
    case 'day':
      return { value: text };
  }
}

function readComparison(text: string, table: Filtered): Condition | undefined {
  for (const name of text.match(/[A-Za-z]\w*/g) ?? []) {
    const field = fieldIn(table, name);
    if (!field) continue;
    for (const comparison of COMPARISONS[field.type]) {
      const found = patternOf(name, comparison).exec(text);
      const value = found && valueOf(comparison.takes, found[1] ?? '');
      if (value) return { field: name, as: comparison.as, ...value };
    }
  }
  return undefined;
}

const SETTINGS = new Set(['certainty', 'distinct', 'occurrences', 'parts']);
const HOLDS = new RegExp(String.raw`^(!?)\s*holds\(\s*${QUOTED}\s*(?:,\s*(\{[^}]*\})\s*)?\)$`);
function readHolds(text: string): Condition | undefined {
  const found = HOLDS.exec(text);
  const what = found && unquoted(found[2]!);
  if (!found || what === undefined) return undefined;
  try {
    const settings = JSON.parse(found[3] ?? '{}') as HoldsSettings;
    return Object.keys(settings).every((k) => SETTINGS.has(k))
      ? { holds: what ?? '', not: found[1] === '!', settings }
      : undefined;
  } catch {
    return undefined;
  }
}

function readOne(given: string, table: Filtered): Condition {
  const text = given.trim();
  const inner = within(text, 0);
  if (inner !== undefined) return readOne(inner, table);
  if (topLevel(text, /^\?/)) return { text };
  for (const [sign, of] of [
    ['||', 'any'],
    ['&&', 'all'],
  ] as const) {
    const parts = splitAt(text, sign);
    if (parts.length > 1) return { of, rows: parts.map((p) => readOne(p, table)) };
  }
  const row = readComparison(text, table) ?? readHolds(text);
  if (row) return row;
  const negated = /^!\s*\(/.exec(text) && within(text, text.indexOf('('));
  if (!negated) return { text };
  const of = readOne(negated, table);
  return { of: 'none', rows: isGroup(of) && of.of === 'any' ? of.rows : [of] };
}

/** A condition as rows. What cannot be read as one, or cannot be read at all, is a row of text. */
export function readRows(text: string, table: Filtered): ConditionGroup {
  if (!text.trim()) return { of: 'all', rows: [] };
  const one = readOne(text, table);
  return isGroup(one) ? one : { of: 'all', rows: [one] };
}
