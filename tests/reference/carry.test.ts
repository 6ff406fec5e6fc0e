/**
 * Withdrawing what lets people outside in, against the plain reading of the rows before and after: nobody from outside is
 * left, no member loses anything, and where something is left it is said.
 */
import { partsOf } from '../../src/core/access/parts.ts';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { Change } from '../../src/core/access/change.ts';
import { namedBy } from '../../src/core/access/named.ts';
import { findIdentity, view, type View } from '../../src/core/access/view.ts';
import { carriedOut, type CarryFacts } from '../../src/core/guard/carry.ts';
import { TIERS } from '../../src/core/model.ts';
import { build } from './build.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

const applied = (rows: Rows, changes: readonly Change[]): Rows => {
  const out = { ...rows, grants: [...rows.grants], links: [...rows.links], groups: [...rows.groups] };
  for (const c of changes) {
    if ('grant' in c) out.grants = out.grants.filter((g) => g.id !== c.grant);
    else if ('link' in c)
      out.links = out.links.flatMap((l) =>
        l.id !== c.link ? l : c.set ? { ...l, ...(c.set as object) } : [],
      );
    else if ('member' in c)
      out.groups = out.groups.map((g) =>
        g.id === c.member.group ? { ...g, members: g.members.filter((m) => m.value !== c.member.value) } : g,
      );
    else throw new Error(`${JSON.stringify(c)} is no change to a grant, link or group`);
  }
  return out;
};

const factsOf = (v: View): CarryFacts => ({
  view: v,
  named: () => namedBy(v),
  spaces: { parts: () => partsOf(v.org), settings: () => ({ settings: {}, unknown: [] }) },
  users: () => [],
  row: () => ({}),
  group: () => undefined,
  manager: () => -1,
});

it('leaves nobody from outside, takes nothing from members, and says what it cannot close', () => {
  const met = { closed: 0, cannot: 0 };
  fc.assert(
    fc.property(organisations, (rows) => {
      const v = view(build(rows), { moment: rows.takenAt });
      const facts = factsOf(v);
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

it('takes somebody out of a space and nobody else, or says why it cannot', () => {
  const met = { out: 0, byGroup: 0, cannot: 0 };
  fc.assert(
    fc.property(organisations, (given) => {
      // who is in a space by what is granted on it: links and openness are no matter of one person
      const rows: Rows = {
        ...given,
        links: [],
        spaces: given.spaces.map((s) => ({ ...s, visibility: 'members' as const })),
      };
      const v = view(build(rows), { moment: rows.takenAt });
      const facts = factsOf(v);
      for (const space of rows.spaces) {
        const was = plainly(rows).judge(space, undefined).who;
        for (const name of Object.keys(was)) {
          const identity = findIdentity(v, name);
          const response = { do: 'take-out' as const, space: space.id };
          const { changes, cannot } = carriedOut(facts, 'identity', identity, response);
          const is = plainly(applied(rows, changes)).judge(space, undefined).who;
          for (const other of Object.keys(was)) if (other !== name) expect(is[other]).toEqual(was[other]);
          if (cannot.length) met.cannot++;
          else {
            met.out++;
            if (changes.some((c) => 'member' in c)) met.byGroup++;
            expect(is[name] ?? []).toEqual([]);
          }
        }
      }
    }),
    { numRuns: 1500 },
  );
  expect(met.out).toBeGreaterThan(30);
  expect(met.byGroup).toBeGreaterThan(5);
  expect(met.cannot).toBeGreaterThan(50);
});
