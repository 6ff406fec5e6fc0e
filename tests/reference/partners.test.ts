/** Other partners: what is judged anew alone, against everything worked out from the rows again. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { reach } from '../../src/core/access/reach.ts';
import { view } from '../../src/core/access/view.ts';
import { findExposures } from '../../src/core/exposure/find.ts';
import { judgedWith } from '../../src/core/exposure/partners.ts';
import { build } from './build.ts';
import { organisations } from './organisations.ts';

const DOMAINS = ['partner.example', 'sub.partner.example', 'far.test', 'other.test'];

it('gives the tiers and exposures of an organisation that had these partners all along', () => {
  let otherwise = 0;
  fc.assert(
    fc.property(
      organisations,
      fc.uniqueArray(fc.constantFrom(...DOMAINS), { maxLength: 3 }),
      (rows, partnerDomains) => {
        const judged = (own: typeof rows.own) => {
          const v = view(build({ ...rows, own }));
          const weights = Uint8Array.from({ length: v.org.itemIds.length }, (_, i) => 1 + (i % 4));
          const columns = reach(v);
          return { v, weights, columns, exposures: findExposures(v, columns, weights) };
        };
        const { v, weights, columns, exposures } = judged(rows.own);
        const wanted = judged({ ...rows.own, partnerDomains });
        const found = judgedWith(v, columns, weights, exposures, partnerDomains);
        const inOrder = (list: typeof exposures) => [...list].sort((a, b) => a.item - b.item);
        expect(inOrder(found.exposures)).toEqual(inOrder(wanted.exposures));
        expect(found.columns.nowTier).toEqual(wanted.columns.nowTier);
        expect(found.columns.couldTier).toEqual(wanted.columns.couldTier);
        // what was judged stays as it was
        expect(findExposures(v, columns, weights)).toEqual(exposures);
        if (columns.couldTier.some((tier, node) => tier !== found.columns.couldTier[node])) otherwise++;
      },
    ),
    { numRuns: 1500 },
  );
  expect(otherwise).toBeGreaterThan(30);
});
