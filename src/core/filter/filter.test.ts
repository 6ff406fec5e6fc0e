import { Environment } from '@marcbachmann/cel-js';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FIELDS, FILTERED, joinConditions, splitConditions } from './fields.ts';
import { checkFilter, compileFilter, MOST_STEPS, type Getters } from './filter.ts';

interface Row {
  words: string;
  kind: string;
  points: number;
  findings: number;
  members: number;
}
const getters: Getters<Row, 'causes'> = {
  text: (r) => r.words.toLowerCase(),
  words: (r) => r.words,
  kind: (r) => r.kind,
  points: (r) => r.points,
  findings: (r) => r.findings,
  members: (r) => r.members,
  external: () => 0,
  madeBy: () => '',
};
const holds = (filter: string, row: Partial<Row> = {}): boolean =>
  compileFilter(
    filter,
    'causes',
    getters,
  )({ words: 'Link', kind: 'link', points: 7, findings: 2, members: 0, ...row });

describe('a filter', () => {
  // the reference: the same expression evaluated by the CEL library itself
  const reference = new Environment();
  for (const [name, field] of Object.entries(FIELDS.causes)) reference.registerVariable(name, field.type);

  const text = fc.constantFrom('words', 'kind', 'text', '"link"', '"a b"', '"Link"', 'madeBy');
  const whole = fc.oneof(
    fc.constantFrom('points', 'findings', 'members'),
    fc.integer({ min: -3, max: 9 }).map(String),
  );
  const number = fc.oneof(
    whole,
    fc.tuple(whole, fc.constantFrom('+', '-', '*'), whole).map(([a, o, b]) => `(${a} ${o} ${b})`),
    text.map((t) => `size(${t})`),
  );
  const leaf = fc.oneof(
    fc.tuple(number, fc.constantFrom('<', '<=', '>', '>=', '==', '!='), number).map((x) => x.join(' ')),
    fc.tuple(text, fc.constantFrom('==', '!=', '<'), text).map((x) => x.join(' ')),
    fc
      .tuple(
        text,
        fc.constantFrom('contains', 'startsWith', 'endsWith', 'matches'),
        fc.constantFrom('"i"', '"L"', '"link"', '""'),
      )
      .map(([a, f, b]) => `${a}.${f}(${b})`),
    fc.tuple(text, fc.array(text, { maxLength: 3 })).map(([a, list]) => `${a} in [${list.join(', ')}]`),
    fc
      .tuple(
        fc.array(text, { minLength: 1, maxLength: 3 }),
        fc.constantFrom('exists', 'all', 'exists_one'),
        text,
      )
      .map(([list, m, t]) => `[${list.join(', ')}].${m}(x, x.contains(${t}))`),
  );
  const { expression } = fc.letrec<{ expression: string }>((tie) => ({
    expression: fc.oneof(
      { maxDepth: 4 },
      leaf,
      fc
        .tuple(tie('expression'), fc.constantFrom('&&', '||'), tie('expression'))
        .map(([a, o, b]) => `(${a} ${o} ${b})`),
      tie('expression').map((a) => `!(${a})`),
      fc
        .tuple(tie('expression'), tie('expression'), tie('expression'))
        .map(([a, b, c]) => `(${a} ? ${b} : ${c})`),
    ),
  }));

  it('holds for the rows for which the CEL library says so', () => {
    const row = fc.record({
      words: fc.constantFrom('Link', 'link to a b', '', 'Größe'),
      kind: fc.constantFrom('link', 'grant'),
      points: fc.integer({ min: 0, max: 9 }),
      findings: fc.integer({ min: 0, max: 3 }),
      members: fc.integer({ min: 0, max: 3 }),
    });
    fc.assert(
      fc.property(expression, row, (filter, r) => {
        const context = Object.fromEntries(
          Object.entries(getters).map(([k, get]) => {
            const value = (get as (row: Row) => string | number)(r);
            return [k, typeof value === 'number' ? BigInt(value) : value];
          }),
        );
        expect(compileFilter(filter, 'causes', getters)(r), filter).toBe(reference.evaluate(filter, context));
      }),
      { numRuns: 1500 },
    );
  });

  it('can be asked of every table, about each of its fields', () => {
    for (const table of FILTERED)
      for (const [name, { type }] of Object.entries(FIELDS[table]))
        expect(
          () => checkFilter(type === 'bool' ? name : `${name} == ${name}`, table),
          `${table} ${name}`,
        ).not.toThrow();
  });

  it('compares tiers and severities in their order, and times with the moment of the survey', () => {
    const items = { now: 5, severity: 3, modified: Date.parse('2026-01-01T00:00:00Z') };
    const all = Object.fromEntries(
      Object.keys(FIELDS.items).map((k) => [k, (r: typeof items) => (r as Record<string, unknown>)[k]]),
    ) as unknown as Getters<typeof items, 'items'>;
    const is = (f: string) => compileFilter(f, 'items', all, Date.parse('2026-02-01T00:00:00Z'))(items);
    expect(is('now >= outside && now < public')).toBe(true);
    expect(is('severity == critical')).toBe(true);
    expect(is('modified < taken - duration("720h")')).toBe(true);
    expect(is('modified < taken - duration("750h")')).toBe(false);
    expect(is('modified >= timestamp("2026-01-01T00:00:00Z")')).toBe(true);
  });

  it('is refused with a sentence that helps', () => {
    const why = (f: string): string => {
      try {
        checkFilter(f, 'causes');
      } catch (e) {
        return (e as Error).message;
      }
      return '';
    };
    expect(why('point > 3')).toBe('There is no “point” here. Is “points” meant?');
    expect(why('kind == grantees')).toContain('Text is written in quotes');
    expect(why('points > "a"')).toContain('cannot be read');
    expect(why('points + 1')).toContain('true or false');
    expect(why('words.matches("(")')).toContain('pattern');
    expect(why('points >')).toContain('cannot be read');
    expect(why('x'.repeat(3000))).toContain('2000');
    expect(why('type(words) == string')).not.toBe('');
    expect(why('words.constructor == "a"')).not.toBe('');
    expect(why(`${'('.repeat(900)}true${')'.repeat(900)}`)).not.toBe('');
  });

  it('takes no longer for a pattern that backtracks elsewhere', () => {
    const from = performance.now();
    expect(holds('words.matches("^(a+)+$")', { words: `${'a'.repeat(5000)}b` })).toBe(false);
    expect(performance.now() - from).toBeLessThan(5000);
  });

  it('is refused where lists within lists would take too long, before any row is asked', () => {
    const ten = '["0", "1", "2", "3", "4", "5", "6", "7", "8", "9"]';
    const nested = (depth: number): string =>
      Array.from({ length: depth }, (_, i) => i).reduce(
        (f, i) => `${ten}.exists(x${i}, ${f})`,
        'kind == "z"',
      );
    expect(() => checkFilter(nested(2), 'causes')).not.toThrow();
    for (const depth of [3, 4, 6, 9])
      expect(() => checkFilter(nested(depth), 'causes')).toThrow(/steps for each row/);
    for (const filter of [
      `(${Array(150).fill('words').join(' + ')}).contains("x")`,
      String.raw`words.matches("\\pL{1000}")`,
      `[${Array(200).fill('"a"').join(', ')}].all(x, [${Array(60).fill('"a"').join(', ')}].exists(y, x == y))`,
    ])
      expect(() => checkFilter(filter, 'causes'), filter).toThrow(/steps for each row/);
  });

  it('reads no field more often for a row than it may take steps', () => {
    const lists = fc.array(fc.constantFrom('"a"', '"b"', 'words', 'kind'), { minLength: 1, maxLength: 4 });
    const { nested } = fc.letrec<{ nested: string }>((tie) => ({
      nested: fc.oneof(
        { maxDepth: 4 },
        fc.constantFrom('kind == "z"', 'words == kind', 'words + kind == "z" || words == "q"'),
        fc
          .tuple(lists, fc.constantFrom('exists', 'all', 'exists_one'), tie('nested'), fc.nat(1e6))
          .map(([list, macro, test, n]) => `[${list.join(', ')}].${macro}(x${n}, ${test})`),
        fc.tuple(tie('nested'), tie('nested')).map(([a, b]) => `!(${a}) && (${b})`),
      ),
    }));
    let accepted = 0;
    fc.assert(
      fc.property(nested, (filter) => {
        let read = 0;
        const count = (value: string) => () => (read++, value);
        const counting: typeof getters = { ...getters, words: count('w'), kind: count('k') };
        const row: Row = { words: '', kind: '', points: 0, findings: 0, members: 0 };
        try {
          compileFilter(filter, 'causes', counting)(row);
          accepted++;
        } catch (e) {
          expect((e as Error).message).toMatch(/steps for each row/);
        }
        expect(read).toBeLessThanOrEqual(MOST_STEPS);
      }),
      { numRuns: 300 },
    );
    expect(accepted).toBeGreaterThan(100);
  });

  it('is given up where the rows have more in them than a filter may go through', () => {
    const rows = FIELDS.items;
    const all = Object.fromEntries(
      Object.keys(rows).map((k) => [k, () => (k === 'domains' ? Array(100_000).fill('a.example') : 0)]),
    ) as unknown as Getters<object, 'items'>;
    const asked = compileFilter('domains.exists(d, domains.exists(e, d < e))', 'items', all);
    expect(() => asked({})).toThrow(/takes too long/);
    const test = compileFilter('points == 0', 'items', all, 0, 50);
    expect(() => Array.from({ length: 100 }, () => test({}))).toThrow(/takes too long/);
  });

  it('is shown in conditions that put together are the same', () => {
    expect(splitConditions('a == "x && y" && (b || c) && [1 && 2]')).toEqual([
      'a == "x && y"',
      '(b || c)',
      '[1 && 2]',
    ]);
    expect(joinConditions(['a || b', 'c', '(d || e)', '(a) || (b)'])).toBe(
      '(a || b) && c && (d || e) && ((a) || (b))',
    );
    fc.assert(
      fc.property(fc.array(expression, { minLength: 1, maxLength: 3 }), (parts) => {
        const joined = joinConditions(parts);
        expect(joinConditions(splitConditions(joined))).toBe(joined);
        expect(holds(joined)).toBe(parts.every((p) => holds(p)));
      }),
      { numRuns: 300 },
    );
  });
});
