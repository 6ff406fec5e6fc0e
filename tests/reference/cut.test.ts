/** Cuts against brute force: every subset of the changes tried on the organisation itself. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { alter } from '../../src/core/access/change.ts';
import { add, bitsFor, has } from '../../src/core/access/bits.ts';
import { groupsAbove } from '../../src/core/access/groups.ts';
import { itemsBelow, nodeOfItem, PRINCIPAL, spaceOfNode } from '../../src/core/access/organisation.ts';
import { sources, who } from '../../src/core/access/questions.ts';
import { addHolders, forEachRedeemer, LINK_NAMED, reach } from '../../src/core/access/reach.ts';
import { soleIdentity, view, type View } from '../../src/core/access/view.ts';
import {
  CUT_STEPS,
  cutSteps,
  CHARACTERS,
  cutNetwork,
  cutsOf,
  NO_PINS,
  type Price,
} from '../../src/core/remedy/cut.ts';
import type { Candidate, Goal } from '../../src/core/remedy/candidate.ts';
import { openItems, resolveGoal, type KeepOut } from '../../src/core/remedy/goal.ts';
import { isProven, Network, UNCUTTABLE } from '../../src/core/remedy/flow.ts';
import { build } from './build.ts';
import type { Rows } from './plain-access.ts';
import { organisations } from './organisations.ts';

/**
 * What a grant, a link or an account costs where costs are counted, one identity and one item after another: whoever
 * it names, times the items below; of whom the goal keeps out, those it is not about. Nothing of other candidates.
 */
function countedCost(v: View, goal: Goal, c: Candidate): number | undefined {
  const { org } = v;
  const { entries } = org;
  const shut = (u: number): boolean =>
    has(goal.who, u) || (goal.group !== undefined && has(v.groupMembers[goal.group]!, u));
  const wanted = new Set(goal.items);
  const below = (node: number): number[] => {
    const [from, to] = itemsBelow(org, node);
    return Array.from({ length: to - from }, (_, k) => from + k);
  };
  const everyone = [...Array(v.identityCount).keys()];
  if (c.entry !== undefined) {
    const node = entries.node[c.entry]!;
    const named = bitsFor(v.identityCount);
    addHolders(v, named, c.entry);
    const holders = everyone.filter(
      (u) => has(named, u) && has(v.spaces[spaceOfNode(org, node)]!.allowed, u),
    );
    return holders.reduce((sum, u) => sum + below(node).filter((i) => !(wanted.has(i) && shut(u))).length, 0);
  }
  if (!('user' in c.change)) return undefined;
  const u = org.find('user', c.change.user);
  let cost = [...org.itemOwner].filter((owner, i) => owner === u && !wanted.has(i)).length;
  for (let e = 0; e < v.live.length; e++) {
    if (!v.live[e]) continue;
    const kept = below(entries.node[e]!).filter((i) => !wanted.has(i)).length;
    forEachRedeemer(v, e, (i) => i === u && (cost += kept));
    for (let k = entries.toKind.start[e]!; k < entries.toKind.start[e + 1]!; k++) {
      const [kind, n] = [entries.toKind.values[k]!, entries.toNumber.values[k]!];
      if (
        kind === PRINCIPAL.anyone ||
        (kind === PRINCIPAL.domain && [...v.domainMembers[n]!].includes(u)) ||
        (kind === PRINCIPAL.group && has(v.groupMembers[n]!, u)) ||
        soleIdentity(v, kind, n) === u
      )
        cost += kept;
    }
  }
  return cost;
}

describe('the minimum cut of a network', () => {
  const networks = fc.record({
    vertices: fc.integer({ min: 2, max: 6 }),
    edges: fc.array(
      fc.tuple(fc.nat(5), fc.nat(5), fc.oneof(fc.integer({ min: 0, max: 9 }), fc.constant(UNCUTTABLE))),
      { maxLength: 11 },
    ),
  });
  it('costs what the cheapest of all subsets of edges costs, and its flow proves it', () => {
    fc.assert(
      fc.property(networks, ({ vertices, edges }) => {
        const n = new Network();
        for (let k = 0; k < vertices; k++) n.vertex();
        const used = edges.filter(([a, b]) => a < vertices && b < vertices && a !== b);
        for (const [a, b, c] of used) n.edge(a, b, c);
        const reaches = (gone: number): boolean => {
          const seen = new Set([0]);
          for (const v of seen)
            used.forEach(([a, b, c], e) => a === v && c > 0 && !(gone & (1 << e)) && seen.add(b));
          return seen.has(1);
        };
        let best = Infinity;
        for (let gone = 0; gone < 1 << used.length; gone++)
          if (!reaches(gone))
            best = Math.min(
              best,
              used.reduce((sum, [, , c], e) => sum + (gone & (1 << e) ? c : 0), 0),
            );
        const cut = n.minCut(0, 1);
        if (best >= UNCUTTABLE) {
          expect(cut.value).toBeGreaterThanOrEqual(UNCUTTABLE);
          const way = n.uncuttableWay(0, 1)!;
          expect(n.ends(way[0]!)[0]).toBe(0);
          expect(n.ends(way.at(-1)!)[1]).toBe(1);
          way.forEach((e, k) => k && expect(n.ends(e)[0]).toBe(n.ends(way[k - 1]!)[1]));
        } else {
          expect(cut.value).toBe(best);
          expect(isProven(n, 0, 1, cut)).toBe(true);
          expect(reaches(cut.edges.reduce((m, e) => m | (1 << e), 0))).toBe(false);
        }
      }),
      { numRuns: 1000 },
    );
  });
});

/** Whether a goal holds, by asking who reaches each item now and could. */
function holds(v: View, goal: Goal, somebody: boolean): boolean {
  const columns = reach(v);
  if (goal.group !== undefined) {
    const above = groupsAbove(v.org, [goal.group]);
    const { toKind, toNumber } = v.org.entries;
    return [...goal.items].every((item) =>
      sources(v, nodeOfItem(v.org, item)).every(({ entry }) => {
        // whom a link for the organisation or anyone names says nothing of who may follow it
        if (typeof entry !== 'number' || v.org.entries.type[entry]! > LINK_NAMED) return true;
        for (let k = toKind.start[entry]!; k < toKind.start[entry + 1]!; k++)
          if (toKind.values[k] === PRINCIPAL.group && above.has(toNumber.values[k]!)) return false;
        return true;
      }),
    );
  }
  return [...goal.items].every((item) => {
    const node = nodeOfItem(v.org, item);
    const bits = who(v, node);
    const owner = goal.ownersKeep ? v.org.itemOwner[item] : undefined;
    for (let i = 0; i < bits.length; i++) if (bits[i] && has(goal.who, i) && i !== owner) return false;
    // a member who has not followed a link for the organisation could
    if (
      goal.anyMember &&
      sources(v, node).some(({ entry }) => typeof entry === 'number' && v.org.entries.type[entry] === 2)
    )
      for (let u = 0; u < v.identityCount; u++)
        if (
          has(v.members, u) &&
          has(goal.who, u) &&
          u !== owner &&
          has(v.spaces[spaceOfNode(v.org, node)]!.allowed, u)
        )
          return false;
    if (goal.anybody && columns.anyone[node]) return false;
    // an outsider whom nothing names any more is still among anybody at all
    if (columns.anyone[node]! & 1 && somebody) return false;
    const cls = columns.classes[columns.accessClass[node]!]!;
    return ![...goal.domains].some((d) => cls.wholeDomains.includes(d));
  });
}

/** The view with these candidates' changes made. */
const after = (v: View, made: readonly Candidate[]): View =>
  alter(
    v,
    made.map((c) => c.change),
  ).view;

const goals = fc.record({
  kind: fc.constantFrom('outside', 'one', 'beyond', 'group', 'beyond-group'),
  pick: fc.nat(50),
  items: fc.array(fc.nat(8), { minLength: 1, maxLength: 4 }),
});

function goalOf(v: View, g: { kind: string; pick: number; items: number[] }): Goal {
  const none = { anybody: false, anyMember: false, domains: new Set<number>() };
  const items = Int32Array.from(new Set(g.items.map((i) => i % v.org.itemIds.length))).sort();
  const outside = new Set([...v.domainStanding].flatMap((s, d) => (s > 0 ? [d] : [])));
  if (g.kind === 'outside') return { ...none, who: v.externals, anybody: true, domains: outside, items };
  const set = bitsFor(v.identityCount);
  if (g.kind === 'beyond-group' && v.org.groups.length)
    return resolveGoal(v, { beyond: v.org.groups[g.pick % v.org.groups.length]!.id }, items)!;
  if (g.kind === 'group') return { ...none, who: set, group: g.pick % v.org.groups.length, items };
  if (g.kind === 'one') add(set, g.pick % v.identityCount);
  else
    for (let i = 0; i < v.identityCount; i++)
      if (has(v.all, i) && i !== g.pick % v.identityCount) add(set, i);
  return g.kind === 'one'
    ? { ...none, who: set, items }
    : { who: set, anybody: true, anyMember: false, domains: outside, items };
}

describe('the cuts of a goal', () => {
  it('make it hold; are the cheapest there are; or say what prevents it', () => {
    let [met, unmet, compared] = [0, 0, 0];
    fc.assert(
      fc.property(organisations, goals, fc.boolean(), (given, g, plain) => {
        const open = <T extends { externalSharing?: unknown }>({ externalSharing: _, ...r }: T) => r;
        const rows = plain
          ? {
              ...given,
              workspaces: given.workspaces.map(open),
              spaces: given.spaces.map(({ gate: _, ...r }) => open(r)),
            }
          : given;
        const v = view(build(rows));
        if (!v.org.itemIds.length || !v.identityCount) return;
        const goal = goalOf(v, g);
        const somebody = goal.who.some((w, k) => (w & v.all[k]!) !== 0);
        const n = cutNetwork(v, reach(v), goal);
        const answer = cutsOf(n);
        const limited = v.spaces.some((s) => s.shutsOut);
        // what is asked item by item of a survey says the same
        expect(openItems(v, reach(v), goal).length === 0).toBe(holds(v, goal, somebody));
        if (!answer.met) {
          unmet++;
          // no cut was found that does not hold when it is tried
          expect(answer.open).toBeUndefined();
          // not even all of it together would do
          if (!limited) expect(holds(after(v, n.candidates), goal, somebody)).toBe(false);
          expect(answer.prevents.length).toBeGreaterThan(0);
          return;
        }
        met++;
        for (const cut of answer.cuts) {
          const later = after(v, cut.changes);
          expect(holds(later, goal, somebody)).toBe(true);
          expect(openItems(later, reach(later), goal)).toEqual([]);
          expect(isProven(n.network, n.source, n.sink, cut.proof, cut.capacities)).toBe(true);
        }
        if (holds(v, goal, somebody)) for (const cut of answer.cuts) expect(cut.changes).toEqual([]);
        if (!n.exact) {
          // of what somebody owns and others do not, no change is made that the goal does not need
          for (const { changes, least } of answer.cuts) {
            expect(least).toBe(false);
            for (const c of changes) {
              const without = changes.filter((x) => x !== c);
              expect(holds(after(v, without), goal, somebody)).toBe(false);
            }
          }
          return;
        }
        if (limited || n.candidates.length > 11) return;
        compared++;
        for (const character of CHARACTERS) {
          const price = (subset: readonly Candidate[]): Price =>
            subset.reduce<Price>(
              ([a, b], c) => {
                const [x, y] = n.price(character, c);
                return [a + x, b + y];
              },
              [0, 0],
            );
          let best: Price = [Infinity, Infinity];
          for (let mask = 0; mask < 1 << n.candidates.length; mask++) {
            const subset = n.candidates.filter((_, k) => mask & (1 << k));
            const [first, then] = price(subset);
            if (
              (first < best[0] || (first === best[0] && then < best[1])) &&
              holds(after(v, subset), goal, somebody)
            )
              best = [first, then];
          }
          const same = answer.cuts.find((c) => price(c.changes).join() === best.join());
          expect([character, same && price(same.changes)]).toEqual([character, best]);
        }
      }),
      { numRuns: 1500 },
    );
    expect(met).toBeGreaterThan(300);
    expect(unmet).toBeGreaterThan(5);
    expect(compared).toBeGreaterThan(200);
  });

  it('make it hold just as well where costs are counted and not tried', () => {
    const counted = { entry: 0, user: 0, other: 0 };
    fc.assert(
      fc.property(organisations, goals, (rows, g) => {
        const v = view(build(rows));
        if (!v.org.itemIds.length || !v.identityCount) return;
        const goal = goalOf(v, g);
        const n = cutNetwork(v, reach(v), goal, { exact: -1 });
        for (const c of n.candidates) {
          const plain = countedCost(v, goal, c);
          if (plain === undefined) expect(c.cost).toBeGreaterThanOrEqual(0);
          else expect(c.cost).toBe(plain);
          counted[c.entry !== undefined ? 'entry' : 'user' in c.change ? 'user' : 'other']++;
        }
        const answer = cutsOf(n);
        const somebody = goal.who.some((w, k) => (w & v.all[k]!) !== 0);
        if (answer.met)
          for (const { changes } of answer.cuts) expect(holds(after(v, changes), goal, somebody)).toBe(true);
      }),
      { numRuns: 2000 },
    );
    expect(counted.entry).toBeGreaterThan(50);
    expect(counted.user).toBeGreaterThan(2);
  });

  describe('of organisations made for it', () => {
    const base = (): Rows => ({
      takenAt: Date.parse('2026-03-02T09:00:00Z'),
      own: { name: 'Own', domains: ['own.example'], partnerDomains: [] },
      workspaces: [{ id: 'w', name: 'w', inheritance: 'additive' }],
      users: ['ada', 'bo', 'cy'].map((id) => ({
        id,
        name: id,
        active: true,
        kind: 'member',
        addresses: [`${id}@own.example`],
      })),
      groups: [{ id: 'board', name: 'Board', members: [{ value: 'ada' }] }],
      spaces: [{ id: 's', kind: 'site', name: 's', workspace: 'w' }],
      items: [
        { id: 'minutes', space: 's', kind: 'file', name: 'minutes' },
        { id: 'menu', space: 's', kind: 'file', name: 'menu', owner: 'bo' },
      ],
      grants: [],
      links: [],
    });
    const cutOf = (rows: Rows, keepOut: KeepOut, ids: string[]) => {
      const v = view(build(rows));
      const goal = resolveGoal(v, keepOut, Int32Array.from(ids, (id) => v.org.find('item', id)).sort())!;
      const answer = cutsOf(cutNetwork(v, reach(v), goal));
      expect(answer.met).toBe(true);
      return answer.met ? answer.cuts.map((c) => c.changes.map((x) => x.change)) : [];
    };
    const grant = (id: string, item: string, user: string) => ({
      id,
      on: { item },
      to: { user },
      role: 'editor' as const,
    });

    it('lets an owner keep what they own, and nothing else for it', () => {
      const rows = base();
      rows.grants = [grant('g1', 'minutes', 'bo'), grant('g2', 'menu', 'bo')];
      expect(cutOf(rows, { beyond: 'board' }, ['minutes', 'menu'])).toEqual([[{ grant: 'g1' }]]);
    });

    it('does not say that nothing is less where an owner comes to more by one grant, and still needs each change', () => {
      const rows = base();
      rows.grants = [{ id: 'g1', on: { space: 's' }, to: { user: 'bo' }, role: 'editor' }];
      const v = view(build(rows));
      const items = Int32Array.from(['minutes', 'menu'], (id) => v.org.find('item', id)).sort();
      const answer = cutsOf(cutNetwork(v, reach(v), resolveGoal(v, { beyond: 'board' }, items)!));
      expect(answer).toMatchObject({
        met: true,
        cuts: [{ least: false, changes: [{ change: { grant: 'g1' } }] }],
      });
    });

    it('says what it is at, part by part, and what it did not try where a goal cannot be met', () => {
      const rows = base();
      rows.spaces[0]!.gate = ['board'];
      rows.items[0]!.owner = 'ada';
      const v = view(build(rows));
      const goal = resolveGoal(v, { identity: 'ada' }, Int32Array.of(v.org.find('item', 'minutes')))!;
      const parts = cutSteps(v, reach(v), goal);
      const told: string[] = [];
      let part = parts.next();
      for (; !part.done; part = parts.next()) told.push(part.value);
      expect(told).toEqual(['ways', 'fewest-hurt']);
      // an owner cannot be cut, but leaving the gate's group would do
      expect(part.value.answer.met).toBe(false);
      expect(part.value.network.untried).toEqual(['gate', 'sharing']);
      expect(reach(alter(v, [{ member: { group: 'board', value: 'ada' } }]).view).members[1]).toBe(0);
      const other = resolveGoal(v, { identity: 'bo' }, goal.items)!;
      expect([...cutSteps(v, reach(v), other)]).toEqual(CUT_STEPS);
    });

    it('changes nothing where the goal holds: every member is of the group', () => {
      const rows = base();
      rows.groups[0]!.members = [{ value: 'ada' }, { value: 'bo' }, { value: 'cy' }];
      rows.spaces[0] = { ...rows.spaces[0]!, visibility: 'organisation' };
      expect(cutOf(rows, { beyond: 'board' }, ['minutes'])).toEqual([[]]);
      rows.grants = [{ id: 'g1', on: { item: 'minutes' }, to: { email: 'x@else.example' }, role: 'reader' }];
      expect(cutOf(rows, { beyond: 'board' }, ['minutes'])[0]).toEqual([{ grant: 'g1' }]);
    });

    it('shuts out every account of an address', () => {
      const rows = base();
      rows.users.push(
        ...['x1', 'x2'].map((id) => ({
          id,
          name: id,
          active: true,
          kind: 'guest' as const,
          addresses: ['x@else.example'],
        })),
      );
      rows.grants = [{ id: 'g1', on: { item: 'minutes' }, to: { email: 'x@else.example' }, role: 'reader' }];
      for (const keepOut of [{ outside: true } as const, { identity: 'x1' }])
        for (const changes of cutOf(rows, keepOut, ['minutes'])) {
          const suspended = changes.filter((c) => 'user' in c).length;
          expect([0, 2]).toContain(suspended);
        }
    });

    it('counts a member listed twice once, and says so', () => {
      const rows = base();
      rows.groups[0]!.members = [{ value: 'bo' }, { value: 'bo' }];
      rows.grants = [{ id: 'g1', on: { item: 'minutes' }, to: { group: 'board' }, role: 'reader' }];
      const org = build(rows);
      expect(org.problems.map((p) => p.reason)).toEqual(['its member bo is listed twice']);
      expect(org.members.start[1]).toBe(1);
      const cuts = cutOf(rows, { identity: 'bo' }, ['minutes']);
      for (const changes of cuts) expect(changes).toHaveLength(1);
    });
  });

  it('never cut what is pinned', () => {
    fc.assert(
      fc.property(organisations, goals, (rows, g) => {
        const v = view(build(rows));
        if (!v.org.itemIds.length || !v.identityCount) return;
        const goal = goalOf(v, g);
        const somebody = goal.who.some((w, k) => (w & v.all[k]!) !== 0);
        const first = cutsOf(cutNetwork(v, reach(v), goal));
        if (!first.met || !first.cuts[0]!.changes.length) return;
        const pinned = JSON.stringify(first.cuts[0]!.changes[0]!.change);
        const again = cutsOf(
          cutNetwork(v, reach(v), goal, { pins: { ...NO_PINS, changes: new Set([pinned]) } }),
        );
        if (again.met)
          for (const cut of again.cuts) {
            expect(cut.changes.map((c) => JSON.stringify(c.change))).not.toContain(pinned);
            expect(holds(after(v, cut.changes), goal, somebody)).toBe(true);
          }
        else expect(again.prevents.length).toBeGreaterThan(0);
      }),
      { numRuns: 200 },
    );
  });
});
