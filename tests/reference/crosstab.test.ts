/** Cross-tabulation against counting by sets, cell by cell, over what a plain reading of the rows says applies. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { add, bitsFor, countBoth, intersect, union } from '../../src/core/access/bits.ts';
import { addHolders, reach } from '../../src/core/access/reach.ts';
import { view } from '../../src/core/access/view.ts';
import { spaceOf, who } from '../../src/core/access/questions.ts';
import { whatOf } from '../../src/core/access/what.ts';
import {
  crosstab,
  DistinctLists,
  itemsOfCell,
  sharesOf,
  type Dimension,
} from '../../src/core/exposure/crosstab.ts';
import { MEASURES, type Shares } from '../../src/core/exposure/tab.ts';
import { reachedByGroup } from '../../src/core/exposure/holders.ts';
import { build } from './build.ts';
import { largeRows } from './large.ts';
import { organisations } from './organisations.ts';
import { plainly, type Rows } from './plain-access.ts';

const VALUES = ['a', 'b', 'c'];
/** What a dimension says of an item or a share, by a number that each has. */
interface Plain {
  of: 'item' | 'share';
  many: boolean;
  seed: number;
}
const valuesOf = (p: Plain, n: number): number[] =>
  p.many
    ? [0, 1, 2].filter((x) => (n * 7 + p.seed + x * 5) % 4 < 2 || x === (n + p.seed) % 3)
    : [(n * 5 + p.seed) % 3];
const dimensionOf = (p: Plain, count: number): Dimension => {
  const lists = Array.from({ length: count }, (_, n) => valuesOf(p, n));
  if (!p.many) return { of: p.of, values: VALUES, one: Int32Array.from(lists, (l) => l[0]!) };
  const distinct = new DistinctLists();
  return {
    of: p.of,
    values: VALUES,
    many: { of: Int32Array.from(lists, (l) => distinct.of(l)), lists: distinct.lists },
  };
};
const kinds = fc.array(
  fc.record({
    of: fc.constantFrom('item' as const, 'share' as const),
    many: fc.boolean(),
    seed: fc.integer({ min: 0, max: 11 }),
  }),
  { minLength: 1, maxLength: 3 },
);

/** Ids of the grants and links, and `visible`, that apply to an item and give somebody something (domain.md). */
function applying(rows: Rows, item: Rows['items'][number]): string[] {
  const space = rows.spaces.find((s) => s.id === item.space)!;
  const workspace = rows.workspaces.find((w) => w.id === space.workspace)!;
  const inert =
    space.binned === true ||
    (space.gate ?? []).length > 0 ||
    [space.externalSharing, workspace.externalSharing].some((x) => x && x !== 'anyone');
  const live = (x: { expiresAt?: string | undefined }) =>
    !x.expiresAt || Date.parse(x.expiresAt) > rows.takenAt;
  const out: string[] = [];
  let broken = false;
  for (let at: typeof item | undefined = item; at; at = rows.items.find((i) => i.id === at.parent))
    if (at.held) return out;
  const take = (on: object, space: boolean): void => {
    const here = (x: { on: object }) => JSON.stringify(x.on) === JSON.stringify(on);
    for (const g of rows.grants)
      if (
        here(g) &&
        live(g) &&
        !('anyone' in g.to && inert) &&
        (!broken || (space && (g.role === 'manager' || g.role === 'owner')))
      )
        out.push(`grant ${g.id}`);
    for (const l of rows.links)
      if (here(l) && live(l) && !broken && !(l.audience === 'anyone' && inert)) out.push(`link ${l.id}`);
  };
  for (let at: typeof item | undefined = item; at;) {
    const now: typeof item = at;
    take({ item: now.id }, false);
    if (now.inherits === false && workspace.inheritance === 'breakable') broken = true;
    at = rows.items.find((i) => i.id === now.parent);
  }
  take({ space: space.id }, true);
  if (!broken && space.visibility === 'organisation') out.push(`visible ${space.id}`);
  return out;
}

it('counts what counting by sets counts, in every cell and every total', () => {
  let cellsSeen = 0;
  fc.assert(
    fc.property(organisations, kinds, fc.boolean(), (rows, plain, half) => {
      const org = build(rows);
      const v = view(org);
      const columns = reach(v);
      const shares = sharesOf(v, columns);
      const [I, E] = [org.itemIds.length, org.entries.ids.length];
      const dimensions = plain.map((p) => dimensionOf(p, p.of === 'item' ? I : shares.count));
      const points = Float64Array.from({ length: I }, (_, i) => (i * 13) % 7);
      const bytes = Float64Array.from({ length: I }, (_, i) => i + 1);
      const isFile = new Uint8Array(I);
      const only = half ? Uint8Array.from({ length: I }, (_, i) => i % 2) : undefined;
      const known = new Map(rows.items.map((r) => [r.id, r]));
      for (let i = 0; i < I; i++) isFile[i] = known.get(org.itemIds.at(i))?.kind === 'file' ? 1 : 0;
      const tab = crosstab({ view: v, columns, shares, isFile, bytes, points }, dimensions, MEASURES, only);

      const cells = new Map<string, { items: Set<number>; links: Set<string>; people: Set<string> }>();
      const judge = plainly(rows);
      const numberOf = (share: string): number => {
        const [kind, id] = share.split(' ') as [string, string];
        return kind === 'visible' ? E + org.find('space', id) : org.find(kind as 'grant' | 'link', id);
      };
      for (let i = 0; i < I; i++) {
        const row = known.get(org.itemIds.at(i));
        if (!row || (only && !only[i])) continue;
        const list = applying(rows, row);
        for (const share of list.length ? list : ['nothing']) {
          const n = share === 'nothing' ? shares.count - 1 : numberOf(share);
          let at: (number | string)[][] = [[]];
          for (const p of plain)
            at = at.flatMap((a) => [...valuesOf(p, p.of === 'item' ? i : n), '*'].map((x) => [...a, x]));
          for (const a of at) {
            const key = a.join();
            let cell = cells.get(key);
            if (!cell) cells.set(key, (cell = { items: new Set(), links: new Set(), people: new Set() }));
            cell.items.add(i);
            if (share.startsWith('link ')) cell.links.add(share);
          }
        }
        // everybody who can do something with it, where cells are not of shares
        if (plain.every((p) => p.of === 'item')) {
          const all = Object.keys(
            judge.judge(
              rows.spaces.find((s) => s.id === row.space)!,
              row,
            ).who,
          );
          for (const [key, cell] of cells)
            if (cell.items.has(i)) for (const p of all) if (key) cell.people.add(p);
        }
      }
      const wanted = (key: string): number =>
        key.split(',').reduce((c, x) => c * 4 + (x === '*' ? 3 : Number(x)), 0);
      for (let c = 0; c < tab.cells.items.length; c++) {
        const key = [...cells.keys()].find((k) => wanted(k) === c);
        const cell = key === undefined ? undefined : cells.get(key)!;
        const items = [...(cell?.items ?? [])];
        const sum = (of: ArrayLike<number>, filesOnly = false) =>
          items.reduce((n, i) => n + (filesOnly && !isFile[i] ? 0 : of[i]!), 0);
        expect(tab.cells.items[c]).toBe(items.length);
        expect(tab.cells.files[c]).toBe(sum(isFile));
        expect(tab.cells.points[c]).toBe(sum(points));
        expect(tab.cells.bytes[c]).toBe(sum(bytes, true));
        expect(tab.cells.links[c]).toBe(cell?.links.size ?? 0);
        if (plain.every((p) => p.of === 'item')) expect(tab.cells.people[c]).toBe(cell?.people.size ?? 0);
        if (key === undefined) continue;
        cellsSeen++;
        const at = key.split(',').map((x) => (x === '*' ? undefined : Number(x)));
        expect(itemsOfCell(tab, at)).toEqual(items.sort((a, b) => a - b));
      }
    }),
    { numRuns: 400 },
  );
  expect(cellsSeen).toBeGreaterThan(3000);
});

it('counts the people of the shares in a cell, and of no others', () => {
  fc.assert(
    fc.property(organisations, fc.integer({ min: 0, max: 11 }), (rows, seed) => {
      const org = build(rows);
      const v = view(org);
      const columns = reach(v);
      const shares = sharesOf(v, columns);
      const I = org.itemIds.length;
      const none = new Float64Array(I);
      const p: Plain = { of: 'share', many: false, seed };
      const input = { view: v, columns, shares, isFile: new Uint8Array(I), bytes: none, points: none };
      const tab = crosstab(input, [dimensionOf(p, shares.count)], ['people']);
      // the same organisation with the shares of every other value taken away, and no owners
      for (const value of [0, 1, 2]) {
        const stays = (kind: 'grant' | 'link', id: string): boolean =>
          valuesOf(p, org.find(kind, id))[0] === value;
        const less = build({
          ...rows,
          items: rows.items.map(({ owner: _, ...r }) => r),
          spaces: rows.spaces.map((s) =>
            valuesOf(p, org.entries.ids.length + org.find('space', s.id))[0] === value
              ? s
              : { ...s, visibility: 'members' },
          ),
          // ended rather than gone, so that whom they name stays known
          grants: rows.grants.map((g) =>
            stays('grant', g.id) ? g : { ...g, expiresAt: '2020-01-01T00:00:00Z' },
          ),
          links: rows.links.map((l) =>
            stays('link', l.id) ? l : { ...l, expiresAt: '2020-01-01T00:00:00Z' },
          ),
        });
        const w = view(less);
        const people = new Set<string>();
        for (let i = 0; i < less.itemIds.length; i++)
          who(w, less.spaces.length + i).forEach(
            (bits, x) => bits && people.add(w.org.users[x]?.id ?? w.outsiders[x - w.org.users.length]!),
          );
        expect(tab.cells.people[value]).toBe(people.size);
      }
    }),
    { numRuns: 400 },
  );
});

/** All shares that apply to a class. */
const applied = ({ place, above, at }: Shares, cls: number): number[] => {
  const list: number[] = [];
  for (let p = place[cls]!; p >= 0; p = above[p]!)
    list.push(...at.values.subarray(at.start[p], at.start[p + 1]));
  return list;
};

it('counts people through nested groups, circles and gates, in few cells and in many', () => {
  const v = view(
    build(largeRows({ people: 2600, groups: 120, memberships: 6000, spaces: 60, items: 900, entries: 3000 })),
  );
  const { org } = v;
  const columns = reach(v);
  const shares = sharesOf(v, columns);
  const [I, E, S] = [org.itemIds.length, org.entries.ids.length, org.spaces.length];
  const none = new Float64Array(I);
  const input = { view: v, columns, shares, isFile: new Uint8Array(I), bytes: none, points: none };
  const dimension = (of: Dimension['of'], count: number, step: number): Dimension => ({
    of,
    values: Array.from({ length: count }, (_, x) => `${x}`),
    one: Int32Array.from({ length: of === 'item' ? I : shares.count }, (_, n) => (n * step) % count),
  });
  const people = (...dimensions: Dimension[]) => crosstab(input, dimensions, ['people']).cells.people;
  const size = (set: Int32Array): number => countBoth(set, set);

  // by items alone: whoever can do something with one of them
  for (const count of [3, 40]) {
    const d = dimension('item', count, 7);
    const sets = Array.from({ length: count + 1 }, () => bitsFor(v.identityCount));
    for (let i = 0; i < I; i++)
      who(v, S + i).forEach((bits, x) => {
        if (bits) for (const at of [d.one![i]!, count]) add(sets[at]!, x);
      });
    expect([...people(d)]).toEqual(sets.map(size));
  }
  // by shares and items: whom the share names, of those that its space lets in
  for (const [count, items] of [
    [2, 1],
    [9, 5],
  ] as const) {
    const [d, of] = [dimension('share', count, 5), dimension('item', items, 3)];
    const sets = Array.from({ length: (count + 1) * (items + 1) }, () => bitsFor(v.identityCount));
    for (let i = 0; i < I; i++) {
      const cls = columns.accessClass[S + i]!;
      for (const share of applied(shares, cls)) {
        if (share === E + S) continue;
        const named = bitsFor(v.identityCount);
        if (share >= E) union(named, v.members);
        else addHolders(v, named, share);
        intersect(named, v.spaces[share >= E ? share - E : spaceOf(v, org.entries.node[share]!)]!.allowed);
        for (const x of [d.one![share]!, count])
          for (const y of [of.one![i]!, items]) union(sets[x * (items + 1) + y]!, named);
      }
    }
    expect([...people(d, of)]).toEqual(sets.map(size));
  }
});

it('counts what a group reaches as going from node to node does', () => {
  let counted = 0;
  const check = (rows: Rows): void => {
    const v = view(build(rows));
    const { org } = v;
    const columns = reach(v);
    const counts = [1, 3].map((n) => Int32Array.from({ length: org.itemIds.length }, (_, i) => 1 + (i % n)));
    const reached = reachedByGroup(v, columns, sharesOf(v, columns), counts);
    for (let group = 0; group < org.groups.length; group++) {
      const sums = [0, 0];
      whatOf(v, { group }).forEach((bits, node) => {
        const item = node - org.spaces.length;
        if (bits && item >= 0) counts.forEach((of, k) => (sums[k]! += of[item]!));
      });
      expect(reached(group)).toEqual(sums);
      counted += sums[0]!;
    }
  };
  fc.assert(fc.property(organisations, check), { numRuns: 500 });
  check(largeRows({ people: 300, groups: 120, memberships: 900, spaces: 60, items: 1500, entries: 2500 }));
  expect(counted).toBeGreaterThan(5000);
});

it('numbers lists of the same values alike, whatever their order, and others apart', () => {
  const values = fc.array(fc.oneof(fc.nat(4), fc.nat(2 ** 24 - 1)), { maxLength: 6 });
  fc.assert(
    fc.property(fc.array(values, { maxLength: 40 }), (lists) => {
      const known = new DistinctLists();
      const numbers = lists.map((list) => known.of(list));
      const sets = lists.map((list) => [...new Set(list)].sort((a, b) => a - b));
      expect(numbers.map((n) => [...known.lists[n]!])).toEqual(sets);
      expect(new Set(numbers).size).toBe(new Set(sets.map((set) => set.join())).size);
      expect(known.lists).toHaveLength(new Set(numbers).size);
    }),
  );
});
