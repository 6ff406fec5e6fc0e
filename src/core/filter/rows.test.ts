import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { STARTERS } from '../guard/starters.ts';
import { SUBJECTS } from '../guard/kinds.ts';
import { CONSTANTS, FIELDS, type Field, type Filtered } from './fields.ts';
import { compileFilter, type Getters } from './filter.ts';
import {
  COMPARISONS,
  isGroup,
  readRows,
  writeRows,
  type Condition,
  type ConditionGroup,
  type HoldsSettings,
} from './rows.ts';

const DAY = 86_400_000;
const NOW = Date.parse('2026-06-01T00:00:00Z');
const WORDS = ['a', 'Ab', 'x "y" z', "it's", 'back\\slash', 'ø && b', '(', ''];

/** Rows with values that a condition can tell apart, and what a file holds. */
const rowOf = (table: Filtered): fc.Arbitrary<Record<string, unknown>> =>
  fc.record(
    Object.fromEntries(
      Object.entries<Field>(FIELDS[table]).map(([name, { type, offers }]) => [
        name,
        type === 'int'
          ? fc.integer({ min: -1, max: 6 })
          : type === 'bool'
            ? fc.boolean()
            : type === 'list<string>'
              ? fc.array(fc.constantFrom(...WORDS), { maxLength: 3 })
              : type === 'timestamp'
                ? fc.constantFrom(NaN, NOW - 40 * DAY, NOW - 2 * DAY, NOW + 3 * DAY)
                : fc.constantFrom(...WORDS, ...(offers ?? []).map((o) => JSON.parse(o) as string)),
      ]),
    ),
  );
const gettersOf = (table: Filtered) =>
  ({
    ...Object.fromEntries(
      Object.keys(FIELDS[table]).map((name) => [name, (row: Record<string, unknown>) => row[name]]),
    ),
    // what a file holds depends on what is asked, and on nothing else here
    holds: (_: unknown, asked: object) => JSON.stringify(asked).length % 3 === 0,
  }) as unknown as Getters<Record<string, unknown>, Filtered>;
const holdsOf = (text: string, table: Filtered, row: Record<string, unknown>): boolean =>
  compileFilter(text, table, gettersOf(table), NOW)(row);

const leaf = (table: Filtered): fc.Arbitrary<Condition> => {
  const compared = fc
    .constantFrom(...Object.entries<Field>(FIELDS[table]))
    .chain(([field, { type }]) =>
      fc
        .constantFrom(...COMPARISONS[type])
        .chain(({ as, takes }): fc.Arbitrary<Condition> =>
          takes === 'texts'
            ? fc
                .array(fc.constantFrom('a', 'Ab', 'x "y" z'), { minLength: 1, maxLength: 3 })
                .map((values) => ({ field, as, values }))
            : (takes === 'number'
                ? fc.constantFrom('-1', '0', '3', ...Object.keys(CONSTANTS))
                : takes === 'days'
                  ? fc.constantFrom('0', '30', '365')
                  : takes === 'day'
                    ? fc.constant('2026-05-30')
                    : takes === 'text'
                      ? fc.constantFrom(...WORDS)
                      : fc.constant('')
              ).map((value) => ({ field, as, value })),
        ),
    )
    // an empty text is compared by a row of its own, and the pattern has to be one
    .filter(
      (r) =>
        !(
          'value' in r &&
          (r.as.includes('matches') ? r.value !== 'a' : /[=!]= V$/.test(r.as) && r.value === '')
        ),
    );
  const holding = fc.record({
    holds: fc.constantFrom('payment-card', 'pack:bank-data', 'anything'),
    not: fc.boolean(),
    settings: fc.constantFrom<HoldsSettings>(
      {},
      { distinct: 2 },
      { certainty: 'strict', parts: ['body', 'title'] },
    ),
  });
  return table === 'items'
    ? fc.oneof(
        compared,
        holding.filter((h) => h.holds !== 'anything' || !Object.keys(h.settings).length),
      )
    : compared;
};
const treeOf = (table: Filtered): fc.Arbitrary<ConditionGroup> => {
  const { group } = fc.letrec<{ group: ConditionGroup; row: Condition }>((tie) => ({
    row: fc.oneof({ maxDepth: 3, withCrossShrink: true }, leaf(table), tie('group')),
    group: fc.record({
      of: fc.constantFrom('all' as const, 'any' as const, 'none' as const),
      rows: fc.array(tie('row'), { minLength: 1, maxLength: 3 }),
    }),
  }));
  return group;
};

/** What rows say, worked out from the rows themselves. */
function said(row: Condition, table: Filtered, of: Record<string, unknown>): boolean {
  if (!isGroup(row)) return holdsOf(writeRows({ of: 'all', rows: [row] }, table), table, of);
  const each = row.rows.map((r) => said(r, table, of));
  return row.of === 'all' ? each.every(Boolean) : row.of === 'any' ? each.some(Boolean) : !each.some(Boolean);
}

describe('conditions as rows', () => {
  it('mean as text what they say as rows, and are read as what they were', () => {
    for (const table of ['items', 'links', 'identities', 'spaces', 'findings'] as const)
      fc.assert(
        fc.property(treeOf(table), rowOf(table), (tree, row) => {
          const text = writeRows(tree, table);
          if (text.length > 1900) return;
          expect(holdsOf(text, table, row)).toBe(said(tree, table, row));
          const read = readRows(text, table);
          expect(writeRows(read, table)).toBe(text);
          expect(JSON.stringify(read)).not.toContain('{"text":');
        }),
        { numRuns: 120 },
      );
  });

  it('keep the meaning of conditions that were written as text', () => {
    const given: [string, Filtered][] = [
      ...STARTERS.flatMap(({ policy }) =>
        policy.rules.map((r): [string, Filtered] => [r.if, SUBJECTS[r.subject].fields]),
      ),
      ['weight>=3&&now==public', 'items'],
      ['!( kind == \'file\' || owner == "" ) && !(weight > 2)', 'items'],
      ['weight > 2 ? exposed : now >= outside || owner.contains("a")', 'items'],
      ['size(types) + 1 > 2 && ("a" in types || !("a" in domains))', 'items'],
      ['(weight >= 2 || exposed) && (((owner == "x && y")))', 'items'],
    ];
    for (const [text, table] of given)
      fc.assert(
        fc.property(rowOf(table), (row) => {
          expect(holdsOf(writeRows(readRows(text, table), table), table, row)).toBe(
            holdsOf(text, table, row),
          );
        }),
        { numRuns: 40 },
      );
  });

  it('leave out what is not finished, and keep as text what they cannot show', () => {
    const rows: Condition[] = [
      { field: 'weight', as: 'F >= V', value: '' },
      { field: 'owner', as: 'F in V', values: [] },
      { holds: '', not: false, settings: {} },
      { field: 'exposed', as: 'F', value: '' },
    ];
    expect(writeRows({ of: 'all', rows }, 'items')).toBe('exposed');
    expect(writeRows({ of: 'any', rows: [] }, 'items')).toBe('');
    expect(readRows('', 'items')).toEqual({ of: 'all', rows: [] });
    expect(readRows('weight * 2 > 3 && exposed', 'items')).toEqual({
      of: 'all',
      rows: [{ text: 'weight * 2 > 3' }, { field: 'exposed', as: 'F', value: '' }],
    });
    expect(readRows('weight >= ) "', 'items').rows).toEqual([{ text: 'weight >= ) "' }]);
  });
});
