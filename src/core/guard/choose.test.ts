import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { PlannedChange } from '../remedy/plan.ts';
import { clash, together } from '../remedy/plan.ts';
import { choose, objectOf, type Proposal } from './choose.ts';

const change = fc.oneof(
  fc.record({ kind: fc.constant('link'), source: fc.constant('s'), id: fc.constantFrom('a', 'b', 'c') }),
  fc.record({
    kind: fc.constant('link'),
    source: fc.constant('s'),
    id: fc.constantFrom('a', 'b', 'c'),
    set: fc.record(
      { role: fc.constantFrom('reader', 'editor'), noCopies: fc.boolean() },
      { requiredKeys: [], noNullPrototype: true },
    ),
  }),
) as fc.Arbitrary<PlannedChange>;
const proposals = fc.array(
  fc.record({
    strictness: fc.constantFrom(10, 20, 30),
    place: fc.nat(3),
    changes: fc.array(change, { minLength: 1, maxLength: 3 }),
  }),
  { maxLength: 12 },
);

describe('what is carried out of several responses', () => {
  it('fits together, and leaves nothing out but for a stricter one, or an earlier of the same strictness', () => {
    fc.assert(
      fc.property(proposals, fc.nat(4), (given, most) => {
        const all = given
          // one that excludes itself is none
          .filter((p) => !together(p.changes).conflicts.length)
          .map((p, of): Proposal => ({ ...p, of }));
        const decided = choose(all, most);
        expect(decided.map((d) => d.proposal.of).sort((a, b) => a - b)).toEqual(all.map((p) => p.of));
        const taken = decided.flatMap((d) => (d.as === 'taken' ? [d.proposal] : []));
        expect(together(taken.flatMap((p) => p.changes)).conflicts).toEqual([]);
        expect(new Set(taken.flatMap((p) => p.changes.map(objectOf))).size).toBeLessThanOrEqual(most);
        for (const { proposal, as } of decided) {
          if (typeof as !== 'object') continue;
          const { by } = as;
          expect(taken).toContain(by);
          const rank = (p: Proposal): number => p.strictness * 1e4 - p.place * 100 - p.of;
          expect(rank(by)).toBeGreaterThan(rank(proposal));
          const clashes = proposal.changes.some((c) =>
            by.changes.some((b) => objectOf(b) === objectOf(c) && clash(b.set, c.set)),
          );
          expect(clashes).toBe(true);
        }
      }),
    );
  });
});
