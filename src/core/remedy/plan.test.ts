import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { withFields } from '../access/change.ts';
import {
  DEFAULT_LIMITS,
  hasFields,
  inverse,
  isLooser,
  memberId,
  memberOf,
  NO_GAINS,
  stricterOf,
  together,
  wantsApproval,
  whatDiffers,
  type PlannedChange,
} from './plan.ts';
import { setWords } from './fields.ts';

const value = fc.constantFrom<unknown>(
  null,
  true,
  false,
  'reader',
  'editor',
  ['g1'],
  ['g1', 'g2'],
  '2027-01-01T00:00:00Z',
);
const set = fc.dictionary(fc.constantFrom('role', 'expiresAt', 'gate', 'dim', 'owner', 'inherits'), value, {
  minKeys: 1,
});
const row = set.map((s) => withFields({ id: 'x', name: 'n' }, s));

describe('a change and its inverse', () => {
  it('leave the row exactly as it was, whatever was set', () => {
    fc.assert(
      fc.property(row, set, (before, s) => {
        const after = withFields(before, s);
        expect(hasFields(after, s)).toBe(true);
        expect(whatDiffers('space', withFields(before, s), after, s)).toEqual([]);
        expect(withFields(after, inverse(s, before))).toEqual(before);
      }),
    );
  });

  it('are told apart by what is set alone where rows change by themselves, by all of a grant', () => {
    expect(whatDiffers('space', { bytes: 1, dim: true }, { bytes: 2, dim: true }, { dim: null })).toEqual([]);
    expect(
      whatDiffers('grant', { role: 'reader', grantedBy: 'a' }, { role: 'reader', grantedBy: 'b' }),
    ).toEqual(['grantedBy']);
    expect(
      whatDiffers('link', { role: 'reader', lastUsedAt: '1' }, { role: 'reader', lastUsedAt: '2' }),
    ).toEqual([]);
    // what is absent and what says no are the same; inheriting holds unless it is said that it does not
    expect(whatDiffers('item', {}, { dim: false, held: false }, { dim: true, held: true })).toEqual([]);
    expect(hasFields({}, { inherits: true })).toBe(true);
    expect(hasFields({ inherits: false }, { inherits: null })).toBe(false);
  });
});

const planned = fc
  .record({
    kind: fc.constantFrom('grant' as const, 'link' as const, 'space' as const),
    id: fc.constantFrom('a', 'b'),
    set: fc.option(
      fc.dictionary(fc.constantFrom('role', 'expiresAt'), fc.constantFrom('x', 'y'), { minKeys: 1 }),
      { nil: undefined },
    ),
  })
  // what the fields hold does not matter here
  .map((c) => ({ ...c, source: 's' }) as unknown as PlannedChange);

describe('changes together', () => {
  it('are one for each thing, in the order in which each was first named; conflicts are those that cannot both hold', () => {
    fc.assert(
      fc.property(fc.array(planned, { maxLength: 6 }), (list) => {
        const { changes, conflicts } = together(list);
        const keyOf = (c: PlannedChange): string => `${c.kind} ${c.id}`;
        expect(changes.map(keyOf)).toEqual([...new Set(list.map(keyOf))]);
        for (const [i, a] of list.entries())
          for (const [j, b] of list.entries()) {
            if (j <= i) continue;
            const [x, y] = [
              a.set as Record<string, unknown> | undefined,
              b.set as Record<string, unknown> | undefined,
            ];
            const cannot =
              keyOf(a) === keyOf(b) &&
              (!x || !y ? Boolean(x) !== Boolean(y) : Object.keys(x).some((k) => k in y && x[k] !== y[k]));
            expect(conflicts.some(([m, n]) => m === i && n === j)).toBe(cannot);
          }
        // without conflicts nothing of it is lost
        if (!conflicts.length)
          for (const c of list) {
            const merged = changes.find((m) => keyOf(m) === keyOf(c))!;
            if (c.set) expect(merged.set).toMatchObject(c.set);
            else expect(merged.set).toBeUndefined();
          }
      }),
    );
  });

  it('name a membership by any group and member', () =>
    fc.assert(
      fc.property(fc.string(), fc.string(), (g, v) => {
        expect(memberOf(memberId(g, v))).toEqual([g, v]);
      }),
    ));
});

describe('a second steward', () => {
  const plan = { changes: [] as PlannedChange[], people: 49, spaces: 9, heaviest: 3, gains: NO_GAINS };
  const gains = { people: 1, external: 0, items: 1, heaviest: 0, tier: null };

  it('is wanted at the limits and above, and for accounts and quarantine', () => {
    expect(wantsApproval(DEFAULT_LIMITS, plan)).toEqual([]);
    expect(wantsApproval(DEFAULT_LIMITS, { ...plan, people: 50 })).toHaveLength(1);
    expect(wantsApproval(DEFAULT_LIMITS, { ...plan, spaces: 10 })).toHaveLength(1);
    // the usual limits bite at the heaviest there is
    expect(wantsApproval(DEFAULT_LIMITS, { ...plan, heaviest: 4 })).toHaveLength(1);
    expect(wantsApproval({ ...DEFAULT_LIMITS, weight: 3 }, plan)).toHaveLength(1);
    const drastic: PlannedChange[] = [
      { kind: 'person', source: 'd', id: 'u', set: { active: false } },
      { kind: 'item', source: 's', id: 'i', set: { held: true } },
    ];
    expect(wantsApproval(DEFAULT_LIMITS, { ...plan, changes: drastic })).toHaveLength(2);
    expect(wantsApproval({ ...DEFAULT_LIMITS, suspension: false }, { ...plan, changes: drastic })).toEqual(
      [],
    );
  });

  it('is wanted whenever access is given, whatever the limits', () => {
    const none = { people: 1e6, spaces: 1e6, weight: 5, suspension: false };
    expect(wantsApproval(none, { ...plan, gains })).toEqual([
      'it widens access: one person gains access, to one item of weight 0',
    ]);
    const wide = { people: 12, external: 5, items: 40, heaviest: 4, tier: 'public' as const };
    expect(wantsApproval(none, { ...plan, gains: wide })).toEqual([
      'it widens access: 12 people gain access, 5 from outside, to 40 items up to weight 4, as far as “public”',
    ]);
    // a link for anybody that nobody has followed yet
    const could = { people: 0, external: 0, items: 1, heaviest: 4, tier: 'public' as const };
    expect(wantsApproval(none, { ...plan, gains: could })).toHaveLength(1);
  });

  it('sees every way in which limits are looser, and the stricter of two is looser than neither', () => {
    const limits = fc.record({
      people: fc.integer({ min: 1, max: 100 }),
      spaces: fc.integer({ min: 1, max: 100 }),
      weight: fc.integer({ min: 1, max: 5 }),
      suspension: fc.boolean(),
    });
    const judged = fc.record({
      changes: fc.constantFrom<PlannedChange[]>(
        [],
        [{ kind: 'person', source: 'd', id: 'u', set: { active: false } }],
      ),
      people: fc.nat(120),
      spaces: fc.nat(120),
      heaviest: fc.nat(4),
      gains: fc.constantFrom(NO_GAINS, gains),
    });
    fc.assert(
      fc.property(limits, limits, judged, (a, b, what) => {
        const wants = (l: typeof a): boolean => wantsApproval(l, what).length > 0;
        const both = stricterOf(a, b);
        expect(isLooser(both, a) || isLooser(both, b)).toBe(false);
        expect(isLooser(a, a)).toBe(false);
        if (wants(a) || wants(b)) expect(wants(both)).toBe(true);
        // what is not looser lets nothing through that was held
        if (!isLooser(a, b) && wants(b)) expect(wants(a)).toBe(true);
      }),
    );
  });
});

describe('a change is called by what it does', () => {
  const words = (kind: 'grant' | 'link', before: object, set: object): string =>
    setWords(kind, set as never, { what: 'it', user: String, group: String }, before as never);
  it('by every field, and neither narrow nor wide where fields go apart', () => {
    expect(words('grant', { role: 'editor' }, { role: 'reader' })).toBe('Narrow it to reader');
    expect(words('grant', { role: 'reader' }, { role: 'editor' })).toBe('Widen it to editor');
    expect(
      words('grant', { role: 'reader', expiresAt: '2026-01-01T00:00:00Z' }, { expiresAt: null }),
    ).toMatch(/^Widen/);
    expect(words('grant', { expiresAt: null }, { expiresAt: '2026-01-01T00:00:00Z' })).toMatch(/^Narrow/);
    expect(words('link', { audience: 'named' }, { audience: 'anyone' })).toMatch(/^Widen/);
    expect(words('link', { noCopies: true }, { noCopies: null })).toMatch(/^Widen/);
    expect(
      words('link', { audience: 'anyone', role: 'reader' }, { audience: 'named', role: 'editor' }),
    ).toMatch(/^Change/);
    const [a, b] = [{ email: 'a@x.example' }, { email: 'b@x.example' }];
    expect(words('link', { audience: 'named', recipients: [a] }, { recipients: [a, b] })).toMatch(/^Widen/);
    expect(words('link', { audience: 'named', recipients: [a, b] }, { recipients: [b] })).toMatch(/^Narrow/);
  });
});
