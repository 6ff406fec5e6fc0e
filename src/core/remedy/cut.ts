/**
 * The least change that keeps some identities from some items: a minimum cut on the network of
 * memberships, grants and links, visibility, inheritance and settings. What is cut and what it costs:
 * docs/remedy.md.
 */
import { anyBoth, forEachBoth, has, type Bits } from '../access/bits.ts';
import { alter, withdrawal, type Change } from '../access/change.ts';
import { EXTERNAL_SHARING } from '../model.ts';
import { groupsAbove } from '../access/groups.ts';
import { nodeOfItem, parentNode, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { isHeld, isInertEntry } from '../access/questions.ts';
import { forEachRedeemer, LINK_NAMED, reach, reachesPastBreaks, type ReachColumns } from '../access/reach.ts';
import { identityName, sharedAddresses, soleIdentity, type View } from '../access/view.ts';
import type { Candidate, Goal } from './candidate.ts';
import { weigh, type CostOptions } from './costs.ts';
import { Network, UNCUTTABLE, type MinCut } from './flow.ts';
import { openItems } from './goal.ts';

/** What must not be cut: by the change's key, and memberships of groups whose members follow from a rule. */
export interface Pins {
  changes: ReadonlySet<string>;
  ruled: ReadonlySet<number>;
}
export const NO_PINS: Pins = { changes: new Set(), ruled: new Set() };

export type Character = 'fewest-hurt' | 'fewest-changes' | 'at-the-cause';
export const CHARACTERS: readonly Character[] = ['fewest-hurt', 'fewest-changes', 'at-the-cause'];

export interface Cut {
  character: Character;
  changes: Candidate[];
  /** What this character compares cuts by, of the changes together. */
  value: Price;
  /** Nothing comes to less; otherwise something may. */
  least: boolean;
  /** The flow that proves it, by the capacities with which it was found. */
  proof: MinCut;
  capacities: Float64Array;
  /** For each change, others that would close the same way, and what they cost, the cheapest first. */
  instead: Candidate[][];
}

export interface CutNetwork {
  view: View;
  goal: Goal;
  network: Network;
  source: number;
  sink: number;
  candidates: Candidate[];
  /** Candidate by edge. */
  byEdge: Map<number, Candidate>;
  /** What a vertex is, by kind and id, such as `group g1`. */
  names: Map<number, string>;
  /**
   * Every way in the network is one that the goal forbids. Where it is not, because somebody who owns one of the items
   * comes to others by the same group, a cut holds and may not be the least.
   */
  exact: boolean;
  /** Costs are counted from whom each change names: there are too many candidates for each to be tried. */
  estimated: boolean;
  /** What might meet the goal too and is not among the candidates: people leaving a space's gate, external sharing. */
  untried: Untried[];
  /** What a candidate adds to what a character compares cuts by. */
  price(character: Character, candidate: Candidate): Price;
}

export type Untried = 'gate' | 'sharing';

/** Two numbers, of which the second decides where the first are alike. */
export type Price = readonly [first: number, then: number];

const keyOf = (change: Change): string => JSON.stringify(change);

/**
 * Builds the network of a goal. `since`: uses from this moment on count, in milliseconds. `exact`: how
 * many candidates at most are each tried by what-if; of more, whom they name is counted. `makeable`: what it
 * does not hold for is not cut.
 */
export function cutNetwork(
  v: View,
  columns: ReachColumns,
  goal: Goal,
  options: CostOptions & { pins?: Pins; makeable?: (change: Change) => boolean } = {},
): CutNetwork {
  const { org } = v;
  const { entries } = org;
  const S = org.spaces.length;
  const pins = options.pins ?? NO_PINS;
  const network = new Network();
  const source = network.vertex();
  const sink = network.vertex();
  const candidates: Candidate[] = [];
  const byEdge = new Map<number, Candidate>();
  const names = new Map<number, string>([
    [source, 'who is kept out'],
    [sink, 'what is kept'],
  ]);
  const vertex = (name: string): number => {
    const x = network.vertex();
    names.set(x, name);
    return x;
  };
  const cuttable = (
    a: number,
    b: number,
    kind: Candidate['kind'],
    change: Change,
    allowed = true,
    entry?: number,
  ): void => {
    const pinned = pins.changes.size > 0 && pins.changes.has(keyOf(change));
    if (!allowed || pinned || options.makeable?.(change) === false) {
      network.edge(a, b, UNCUTTABLE);
      return;
    }
    const edge = network.edge(a, b, 1);
    const c: Candidate = { change, ...(entry !== undefined && { entry }), kind, cost: 0, edge };
    candidates.push(c);
    byEdge.set(edge, c);
  };
  const always = (a: number, b: number): void => void network.edge(a, b, UNCUTTABLE);

  const nodes = new Map<number, number>();
  const groups = new Map<number, number>();
  const users = new Map<number, number>();
  const given = new Map<number, number | undefined>();
  const spaceOut = new Map<number, number>();
  const onlyExternal = !goal.anyMember && goal.group === undefined && !anyBoth(v.members, goal.who);
  /** The goal's group, and every group that holds it. */
  const above = goal.group === undefined ? new Set<number>() : groupsAbove(org, [goal.group]);

  // owners keep what they own: what leads to that alone lets nobody in who is to be kept out
  const owners = goal.ownersKeep ? ownersBelow(v, goal) : undefined;
  /** Who owns every item of the goal below a node; −1 where that is nobody. */
  const keeper = (node: number): number => owners?.sole.get(node) ?? -1;
  let exact = true;
  const accounts = sharedAddresses(v);

  const userVertex = (u: number): number => {
    let x = users.get(u);
    if (x === undefined) {
      const name = `identity ${identityName(v, u)}`;
      users.set(u, (x = vertex(name)));
      // a guest’s account can be suspended; members are ended where people are kept
      if (org.users[u]?.kind === 'guest') {
        const named = vertex(name);
        always(source, named);
        cuttable(named, x, 'suspension', { user: org.users[u].id, set: { active: false } });
      } else always(source, x);
    }
    return x;
  };
  /** Groups whose members are still to be led in: groups may be nested deeper than calls can be. */
  const unled: number[] = [];
  /** Undefined where nobody who is to be kept out comes through the group. */
  const groupVertex = (g: number): number | undefined => {
    const known = groups.get(g);
    if (known !== undefined) return known < 0 ? undefined : known;
    const some = above.has(g) || anyBoth(v.groupMembers[g]!, goal.who);
    const x = some ? vertex(`group ${org.groups[g]!.id}`) : -1;
    groups.set(g, x);
    if (!some) return undefined;
    unled.push(g);
    return x;
  };
  const leadMembers = (g: number): void => {
    const x = groups.get(g)!;
    if (g === goal.group) return always(source, x);
    const ruled = pins.ruled.has(g);
    for (let k = org.members.start[g]!; k < org.members.start[g + 1]!; k++) {
      const m = org.members.values[k]!;
      const named = m < 0 || (has(goal.who, m) && has(v.all, m));
      const inner = m < 0 ? groupVertex(~m) : named ? userVertex(m) : undefined;
      const value = m < 0 ? org.groups[~m]!.id : identityName(v, m);
      if (inner !== undefined)
        cuttable(inner, x, 'membership', { member: { group: org.groups[g]!.id, value } }, !ruled);
    }
  };
  /** An entry's own vertex, from which it gives what it gives; undefined where it lets in nobody who is to be kept out. */
  const entryVertex = (e: number, space: number): number | undefined => {
    if (given.has(e)) return given.get(e);
    const { allowed, anyoneInert, wholeDomainsCount } = v.spaces[space]!;
    const into: number[] = [];
    let open = false;
    const keeps = keeper(entries.node[e]!);
    const one = (u: number): void => {
      if (u >= 0 && u !== keeps && has(goal.who, u) && has(allowed, u) && has(v.all, u))
        into.push(userVertex(u));
    };
    const type = entries.type[e]!;
    if (!(anyoneInert && isInertEntry(v, e))) {
      if (type > LINK_NAMED) {
        forEachRedeemer(v, e, one);
        open = type === 3 ? goal.anybody : goal.anyMember && meets(v.members, goal.who, allowed, keeps);
      } else
        for (let k = entries.toKind.start[e]!; k < entries.toKind.start[e + 1]!; k++) {
          const [kind, n] = [entries.toKind.values[k]!, entries.toNumber.values[k]!];
          if (kind === PRINCIPAL.group) {
            const reaches = above.has(n) || meets(v.groupMembers[n]!, goal.who, allowed, keeps);
            const g = reaches ? groupVertex(n) : undefined;
            if (g !== undefined) into.push(g);
          } else if (kind === PRINCIPAL.everyone) forEachBoth(v.members, goal.who, one);
          else if (kind === PRINCIPAL.anyone) {
            // who is known no more is still among anybody at all
            open ||= goal.anybody || anyBoth(v.all, goal.who);
          } else if (kind === PRINCIPAL.domain) {
            if (wholeDomainsCount && goal.domains.has(n)) open = true;
            for (const u of v.domainMembers[n]!) one(u);
          } else {
            const sole = soleIdentity(v, kind, n);
            one(sole);
            // where one account ends, the address is the next one's
            if (kind === PRINCIPAL.address)
              for (const u of accounts.get(org.addresses[n]!) ?? []) if (u !== sole) one(u);
          }
        }
    }
    if (!into.length && !open) {
      given.set(e, undefined);
      return undefined;
    }
    // it leads some owner to what they own and to what they do not
    if (owners?.mixed.has(entries.node[e]!)) exact = false;
    const name = `${type ? 'link' : 'grant'} ${entries.ids.at(e)}`;
    const [a, b] = [vertex(name), vertex(name)];
    given.set(e, b);
    if (open) always(source, a);
    for (const x of new Set(into)) always(x, a);
    cuttable(a, b, type ? 'link' : 'grant', withdrawal(org, e), true, e);
    return b;
  };
  /** A new vertex of a node, with everything that is made on it leading in. */
  const ownVertex = (n: number): number => {
    const x = vertex(n < S ? `space ${org.spaces[n]!.id}` : `item ${org.itemIds.at(n - S)}`);
    nodes.set(n, x);
    const space = spaceOfNode(org, n);
    for (let e = entries.first[n]!; e < entries.first[n + 1]!; e++) {
      if (!v.live[e]) continue;
      const from = entryVertex(e, space);
      if (from !== undefined) always(from, x);
    }
    if (n < S && org.spaces[n]!.visibility === 'organisation') {
      if (owners?.mixed.has(n)) exact = false;
      const name = `visibility of space ${org.spaces[n]!.id}`;
      const [a, b] = [vertex(name), vertex(name)];
      if (goal.anyMember) {
        if (meets(v.members, goal.who, v.spaces[n]!.allowed, keeper(n))) always(source, a);
      } else
        forEachBoth(
          v.members,
          goal.who,
          (u) => u !== keeper(n) && has(v.spaces[n]!.allowed, u) && always(userVertex(u), a),
        );
      cuttable(a, b, 'visibility', { space: org.spaces[n]!.id, set: { visibility: 'members' } });
      always(b, x);
    }
    return x;
  };
  /** The vertex of a node, with everything that is made on it and above it leading in. */
  const nodeVertex = (node: number): number => {
    const x = nodes.get(node) ?? ownVertex(node);
    for (let n = node, to = x; n >= S && !org.itemBreaks[n - S];) {
      const up = parentNode(org, n);
      const known = nodes.get(up);
      const from = known ?? ownVertex(up);
      cuttable(
        from,
        to,
        'inheritance',
        { item: org.itemIds.at(n - S), set: { inherits: false } },
        org.breakable[spaceOfNode(org, n)] === 1,
      );
      if (known !== undefined) break;
      [n, to] = [up, from];
    }
    return x;
  };
  for (const item of goal.items) {
    const n = nodeOfItem(org, item);
    if (isHeld(v, n)) continue;
    const space = org.itemSpace[item]!;
    const x = nodeVertex(n);
    // what reaches through every break comes past the folders
    for (let e = entries.first[space]!; e < entries.first[space + 1]!; e++) {
      if (!reachesPastBreaks(v, e)) continue;
      const from = entryVertex(e, space);
      if (from !== undefined) always(from, x);
    }
    const owner = org.itemOwner[item]!;
    if (
      !goal.ownersKeep &&
      owner >= 0 &&
      has(goal.who, owner) &&
      has(v.all, owner) &&
      has(v.spaces[space]!.allowed, owner)
    )
      always(userVertex(owner), x);
    let out = spaceOut.get(space);
    if (out === undefined) {
      spaceOut.set(space, (out = vertex(`sharing of space ${org.spaces[space]!.id}`)));
      // external sharing off keeps every external identity out of the space, and anybody and whole domains with them
      cuttable(
        out,
        sink,
        'sharing',
        { space: org.spaces[space]!.id, set: { externalSharing: 'off' } },
        onlyExternal,
      );
    }
    always(x, out);
  }
  for (let g; (g = unled.pop()) !== undefined;) leadMembers(g);
  const estimated = weigh(v, columns, goal, candidates, options);
  const spaces = [...spaceOut.keys()];
  return {
    view: v,
    goal,
    exact,
    estimated,
    untried: [
      ...(spaces.some((s) => org.gates.start[s]! < org.gates.start[s + 1]!) ? (['gate'] as const) : []),
      ...(!onlyExternal && spaces.some((s) => org.external[s]! < EXTERNAL_SHARING.indexOf('off'))
        ? (['sharing'] as const)
        : []),
    ],
    network,
    source,
    sink,
    candidates,
    byEdge,
    names,
    price: (character, c) =>
      character === 'fewest-hurt'
        ? [c.cost, 1]
        : character === 'fewest-changes'
          ? [1, c.cost]
          : [CAUSE[c.kind] * placed(v, c), c.cost],
  };
}

/** What comes back soonest is dearest where a cut is to be at the cause. */
const CAUSE: Record<Candidate['kind'], number> = {
  suspension: 5,
  membership: 1,
  sharing: 2,
  visibility: 1,
  grant: 4,
  link: 6,
  inheritance: 40,
};
/** An entry on a space is nearer the cause than one on each file. */
const placed = (v: View, { entry }: Candidate): number =>
  entry === undefined || v.org.entries.node[entry]! < v.org.spaces.length ? 1 : 3;

/** Whether some number but one is in all three sets; the first may be shorter. */
function meets(a: Bits, b: Bits, c: Bits, but: number): boolean {
  for (let w = 0; w < a.length; w++) {
    const all = a[w]! & b[w]! & c[w]!;
    if (but >>> 5 === w && but >= 0 ? all & ~(1 << (but & 31)) : all) return true;
  }
  return false;
}

/**
 * Who owns the goal's items below each node: `sole` where it is one for all of them, −1 where it is not; `mixed` are the
 * nodes of these below which somebody who is kept out owns something.
 */
function ownersBelow(v: View, { items, who }: Goal): { sole: Map<number, number>; mixed: Set<number> } {
  const { org } = v;
  const sole = new Map<number, number>();
  const owned = new Set<number>();
  const own = (n: number, owner: number, kept: boolean): void => {
    const known = sole.get(n);
    sole.set(n, known === undefined || known === owner ? owner : -1);
    if (kept) owned.add(n);
  };
  const all = new Set<number>();
  for (const item of items) {
    const node = nodeOfItem(org, item);
    if (isHeld(v, node)) continue;
    const owner = org.itemOwner[item]!;
    own(node, owner, owner >= 0 && has(who, owner));
    for (let n = node; n >= 0 && !all.has(n); n = parentNode(org, n)) all.add(n);
  }
  // what is below a node has a higher number, so that each hands on what is known of all below it
  for (const n of Int32Array.from(all).sort().reverse()) {
    const up = parentNode(org, n);
    if (up >= 0) own(up, sole.get(n)!, owned.has(n));
  }
  return { sole, mixed: new Set([...owned].filter((n) => sole.get(n) === -1)) };
}

const priceOf = (n: CutNetwork, character: Character, changes: readonly Candidate[]): Price =>
  changes.reduce<Price>(
    ([first, then], c) => {
      const [f, t] = n.price(character, c);
      return [first + f, then + t];
    },
    [0, 0],
  );

/**
 * The least cut by both numbers of its price. First the least by the first number alone: what it comes to by the
 * second is as much as that can be worth, so that both fit into one capacity, the first as so many of the second.
 */
function leastCut(n: CutNetwork, character: Character): { proof: MinCut; capacities: Float64Array } {
  const capacities = n.network.capacities();
  const prices = n.candidates.map((c) => n.price(character, c));
  n.candidates.forEach((c, k) => (capacities[c.edge] = prices[k]![0]));
  const byFirst = n.network.minCut(n.source, n.sink, capacities);
  if (byFirst.value >= UNCUTTABLE) return { proof: byFirst, capacities };
  const [first, then] = priceOf(
    n,
    character,
    byFirst.edges.map((e) => n.byEdge.get(e)!),
  );
  const worth = then + 1;
  // beyond what flows can be told apart by, the first number alone decides
  if ((first + 1) * worth + worth >= UNCUTTABLE / 2) return { proof: byFirst, capacities };
  n.candidates.forEach((c, k) => {
    const [f, t] = prices[k]!;
    capacities[c.edge] = Math.min(f, first + 1) * worth + Math.min(t, worth);
  });
  // so many of the second for each of the first: the flow that is known fits in
  const begun = byFirst.flow.map((f) => f * worth);
  return { proof: n.network.minCut(n.source, n.sink, capacities, begun), capacities };
}

/** `open`: items that stay open where the cuts that were found are tried, which must not happen and is said. */
export type CutAnswer = { met: true; cuts: Cut[] } | { met: false; prevents: string[]; open?: number };

/** The parts of the work, in their order. */
export const CUT_STEPS = ['ways', ...CHARACTERS] as const;
export type CutStep = (typeof CUT_STEPS)[number];

/** Builds the network of a goal and finds its cuts, telling each part before it begins, so that it may be left. */
export function* cutSteps(
  ...given: Parameters<typeof cutNetwork>
): Generator<CutStep, { network: CutNetwork; answer: CutAnswer }> {
  yield 'ways';
  const network = cutNetwork(...given);
  return { network, answer: yield* findCuts(network) };
}

/** The goal's items that are open after some changes, by what-if on all of them. */
function openAfter({ view, goal }: CutNetwork, changes: readonly Candidate[]): number[] {
  const later = alter(
    view,
    changes.map((c) => c.change),
  ).view;
  const nodes = Int32Array.from(goal.items, (i) => nodeOfItem(view.org, i)).sort();
  return openItems(later, reach(later, nodes), goal);
}

/** So many changes at most are each tried whether the goal holds without them. */
const TRIED = 60;

/** A cut without the changes that the goal does not need; the dearest are tried first. */
function needed(n: CutNetwork, character: Character, changes: Candidate[]): Candidate[] {
  if (n.exact || changes.length > TRIED) return changes;
  const dear = [...changes].sort((a, b) => {
    const [x, y] = [n.price(character, a), n.price(character, b)];
    return y[0] - x[0] || y[1] - x[1];
  });
  return dear.reduce((kept, c) => {
    const without = kept.filter((x) => x !== c);
    return openAfter(n, without).length ? kept : without;
  }, changes);
}

/**
 * The cuts of a goal, of different character, each once; or, where it cannot be met, the uncuttable way
 * that prevents it, step by step.
 */
export function cutsOf(n: CutNetwork): CutAnswer {
  const parts = findCuts(n);
  for (;;) {
    const part = parts.next();
    if (part.done) return part.value;
  }
}

function* findCuts(n: CutNetwork): Generator<Character, CutAnswer> {
  const cuts: Cut[] = [];
  let open: number[] = [];
  for (const character of CHARACTERS) {
    yield character;
    const { proof, capacities } = leastCut(n, character);
    if (proof.value >= UNCUTTABLE)
      return {
        met: false,
        prevents: [
          ...new Set(
            (n.network.uncuttableWay(n.source, n.sink, capacities) ?? []).map((e) =>
              n.names.get(n.network.ends(e)[1])!,
            ),
          ),
        ],
      };
    const changes = needed(
      n,
      character,
      proof.edges.map((e) => n.byEdge.get(e)!),
    );
    const set = new Set(changes);
    const same = (other: Cut): boolean =>
      other.changes.length === set.size && other.changes.every((c) => set.has(c));
    if (cuts.some(same)) continue;
    // called met only where it is, asked of every item
    const left = openAfter(n, changes);
    if (left.length) {
      open = left;
      continue;
    }
    cuts.push({
      character,
      changes,
      value: priceOf(n, character, changes),
      least: n.exact,
      proof,
      capacities,
      instead: changes.map((c) => insteadOf(n, c)),
    });
  }
  if (open.length && !cuts.length)
    return {
      met: false,
      prevents: open.slice(0, TOLD).map((i) => `item ${n.view.org.itemIds.at(i)}`),
      open: open.length,
    };
  return { met: true, cuts };
}

/** How many others are told for each change, of so many that were found by looking at so many edges. */
const TOLD = 4;
const FOUND = 50;
const LOOKED = 2000;

/** Candidates on the ways that lead through a change, that would each close one of them. */
function insteadOf(n: CutNetwork, c: Candidate): Candidate[] {
  const found = new Set<Candidate>();
  const { network } = n;
  const [into, out] = network.ends(c.edge);
  const follow = (from: number, forward: boolean): void => {
    const seen = new Set([from]);
    let looked = 0;
    for (const v of seen)
      for (const e of network.edgesAt(v, forward)) {
        if (++looked > LOOKED || found.size > FOUND) return;
        const other = n.byEdge.get(e);
        const next = network.ends(e)[forward ? 1 : 0];
        if (other && other !== c) found.add(other);
        // the nearest on each way is enough; beyond the ends of the network there is no way
        else if (next !== n.source && next !== n.sink) seen.add(next);
      }
  };
  follow(into, false);
  follow(out, true);
  return [...found].sort((a, b) => a.cost - b.cost).slice(0, TOLD);
}
