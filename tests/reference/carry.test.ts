/**
 * Withdrawing what lets people outside in, against the plain reading of the rows before and after: nobody from outside is
 * left, no member loses anything, and where something is left it is said.
 */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { Change } from '../../src/core/access/change.ts';
import { view } from '../../src/core/access/view.ts';
import { carriedOut } from '../../src/core/guard/carry.ts';
import { TIERS } from '../../src/core/model.ts';
import { build } from './build.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

const applied = (rows: Rows, changes: readonly Change[]): Rows => {
  const out = { ...rows, grants: [...rows.grants], links: [...rows.links] };
  for (const c of changes) {
    if ('grant' in c) out.grants = out.grants.filter((g) => g.id !== c.grant);
    else if ('link' in c)
      out.links = out.links.flatMap((l) =>
        l.id !== c.link ? l : c.set ? { ...l, ...(c.set as object) } : [],
      );
    else throw new Error(`${JSON.stringify(c)} is no change to a grant or link`);
  }
  return out;
};

it('leaves nobody from outside, takes nothing from members, and says what it cannot close', () => {
  const met = { closed: 0, cannot: 0 };
  fc.assert(
    fc.property(organisations, (rows) => {
      const v = view(build(rows), { moment: rows.takenAt });
      const facts = { view: v, users: () => [], row: () => ({}), group: () => undefined, manager: () => -1 };
      const members = new Set(rows.users.filter((u) => u.kind === 'member').map((u) => u.id));
      for (const item of rows.items) {
        const n = v.org.spaces.length + v.org.find('item', item.id);
        const { changes, cannot } = carriedOut(facts, 'item', n, { do: 'withdraw-outside' });
        const space = rows.spaces.find((s) => s.id === item.space)!;
        const [was, is] = [rows, applied(rows, changes)].map((r) =>
          plainly(r).judge(
            space,
            r.items.find((i) => i.id === item.id),
          ),
        ) as [
          ReturnType<ReturnType<typeof plainly>['judge']>,
          ReturnType<ReturnType<typeof plainly>['judge']>,
        ];
        // a grant to anyone, or to a domain, may be one to members, too, and cannot be narrowed to them
        const toAnyone = changes.some((c) => {
          const to = 'grant' in c && rows.grants.find((g) => g.id === c.grant)!.to;
          return to && ('anyone' in to || 'domain' in to);
        });
        if (!toAnyone) for (const m of members) expect(is.who[m] ?? []).toEqual(was.who[m] ?? []);
        const outside = (tier: string): boolean => TIERS.indexOf(tier as never) >= TIERS.indexOf('partner');
        const owned = item.owner !== undefined && !members.has(item.owner);
        if (cannot.length) met.cannot++;
        else if (!owned) {
          if (outside(was.could.tier)) met.closed++;
          expect([is.now.tier, is.could.tier].filter(outside)).toEqual([]);
        }
      }
    }),
    { numRuns: 1500 },
  );
  expect(met.closed).toBeGreaterThan(30);
  expect(met.cannot).toBeGreaterThan(5);
});
