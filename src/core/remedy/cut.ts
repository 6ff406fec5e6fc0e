/**
 * The least change that keeps some identities from some items: a minimum cut on the network of
 * memberships, grants and links, visibility, inheritance and settings. What is cut and what it costs:
 * docs/remedy.md.
 */
import { anyBoth, forEachBoth, has, type Bits } from '../access/bits.ts';
import { withdrawal, type Change } from '../access/change.ts';
import { groupsAbove } from '../access/groups.ts';
import { nodeOfItem, parentNode, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { isHeld, isInertEntry } from '../access/questions.ts';
import { forEachRedeemer, LINK_NAMED, reachesPastBreaks, type ReachColumns } from '../access/reach.ts';
import { identityName, soleIdentity, type View } from '../access/view.ts';
import type { Candidate, Goal } from './candidate.ts';
import { weigh, type CostOptions } from './costs.ts';
import { Network, UNCUTTABLE, type MinCut } from './flow.ts';

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
  /** What the changes cost together by the capacities of this character, and the flow that proves it. */
  value: number;
  proof: MinCut;
  /** For each change, others that would close the same way, and what they cost, the cheapest first. */
  instead: Candidate[][];
}

export interface CutNetwork {
  network: Network;
  source: number;
  sink: number;
  candidates: Candidate[];
  /** Candidate by edge. */
  byEdge: Map<number, Candidate>;
  /** What a vertex is, by kind and id, such as `group g1`. */
  names: Map<number, string>;
  capacities(character: Character): Float64Array;
}

/** A cut of fewer changes is better where they cost the same. */
const BETWEEN = 1000;

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
    if (!allowed || options.makeable?.(change) === false || pins.changes.has(keyOf(change))) {
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
  /** Undefined where nobody who is to be kept out comes through the group. */
  const groupVertex = (g: number): number | undefined => {
    const known = groups.get(g);
    if (known !== undefined) return known < 0 ? undefined : known;
    if (!above.has(g) && !anyBoth(v.groupMembers[g]!, goal.who)) {
      groups.set(g, -1);
      return undefined;
    }
    const x = vertex(`group ${org.groups[g]!.id}`);
    groups.set(g, x);
    if (g === goal.group) {
      always(source, x);
      return x;
    }
    const ruled = pins.ruled.has(g);
    for (let k = org.members.start[g]!; k < org.members.start[g + 1]!; k++) {
      const m = org.members.values[k]!;
      if (m >= 0) {
        if (has(goal.who, m) && has(v.all, m))
          cuttable(
            userVertex(m),
            x,
            'membership',
            { member: { group: org.groups[g]!.id, value: identityName(v, m) } },
            !ruled,
          );
      } else {
        const inner = groupVertex(~m);
        if (inner !== undefined)
          cuttable(
            inner,
            x,
            'membership',
            { member: { group: org.groups[g]!.id, value: org.groups[~m]!.id } },
            !ruled,
          );
      }
    }
    return x;
  };
  /** An entry's own vertex, from which it gives what it gives; undefined where it lets in nobody who is to be kept out. */
  const entryVertex = (e: number, space: number): number | undefined => {
    if (given.has(e)) return given.get(e);
    const { allowed, anyoneInert, wholeDomainsCount } = v.spaces[space]!;
    const into: number[] = [];
    let open = false;
    const one = (u: number): void => {
      if (u >= 0 && has(goal.who, u) && has(allowed, u) && has(v.all, u)) into.push(userVertex(u));
    };
    const type = entries.type[e]!;
    if (!(anyoneInert && isInertEntry(v, e))) {
      if (type > LINK_NAMED) {
        forEachRedeemer(v, e, one);
        open = type === 3 ? goal.anybody : goal.anyMember;
      } else
        for (let k = entries.toKind.start[e]!; k < entries.toKind.start[e + 1]!; k++) {
          const [kind, n] = [entries.toKind.values[k]!, entries.toNumber.values[k]!];
          if (kind === PRINCIPAL.group) {
            const reaches = above.has(n) || meets(v.groupMembers[n]!, goal.who, allowed);
            const g = reaches ? groupVertex(n) : undefined;
            if (g !== undefined) into.push(g);
          } else if (kind === PRINCIPAL.everyone) forEachBoth(v.members, goal.who, one);
          else if (kind === PRINCIPAL.anyone) {
            // who is known no more is still among anybody at all
            open ||= goal.anybody || anyBoth(v.all, goal.who);
          } else if (kind === PRINCIPAL.domain) {
            if (wholeDomainsCount && goal.domains.has(n)) open = true;
            for (const u of v.domainMembers[n]!) one(u);
          } else one(soleIdentity(v, kind, n));
        }
    }
    if (!into.length && !open) {
      given.set(e, undefined);
      return undefined;
    }
    const name = `${type ? 'link' : 'grant'} ${entries.ids.at(e)}`;
    const [a, b] = [vertex(name), vertex(name)];
    given.set(e, b);
    if (open) always(source, a);
    for (const x of new Set(into)) always(x, a);
    cuttable(a, b, type ? 'link' : 'grant', withdrawal(org, e), true, e);
    return b;
  };
  /** The vertex of a node, with everything that is made on it and above it leading in. */
  const nodeVertex = (n: number): number => {
    let x = nodes.get(n);
    if (x !== undefined) return x;
    nodes.set(n, (x = vertex(n < S ? `space ${org.spaces[n]!.id}` : `item ${org.itemIds.at(n - S)}`)));
    const space = spaceOfNode(org, n);
    for (let e = entries.first[n]!; e < entries.first[n + 1]!; e++) {
      if (!v.live[e]) continue;
      const from = entryVertex(e, space);
      if (from !== undefined) always(from, x);
    }
    if (n < S) {
      if (org.spaces[n]!.visibility === 'organisation') {
        const name = `visibility of space ${org.spaces[n]!.id}`;
        const [a, b] = [vertex(name), vertex(name)];
        if (goal.anyMember) always(source, a);
        else
          forEachBoth(v.members, goal.who, (u) => has(v.spaces[n]!.allowed, u) && always(userVertex(u), a));
        cuttable(a, b, 'visibility', { space: org.spaces[n]!.id, set: { visibility: 'members' } });
        always(b, x);
      }
    } else if (!org.itemBreaks[n - S]) {
      cuttable(
        nodeVertex(parentNode(org, n)),
        x,
        'inheritance',
        { item: org.itemIds.at(n - S), set: { inherits: false } },
        org.breakable[space] === 1,
      );
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
    if (owner >= 0 && has(goal.who, owner) && has(v.all, owner) && has(v.spaces[space]!.allowed, owner))
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
  weigh(v, columns, goal, candidates, options);
  const base = network.capacities();
  return {
    network,
    source,
    sink,
    candidates,
    byEdge,
    names,
    capacities(character) {
      const out = base.slice();
      for (const c of candidates)
        out[c.edge] =
          character === 'fewest-hurt'
            ? c.cost * BETWEEN + 1
            : character === 'fewest-changes'
              ? BETWEEN * BETWEEN + Math.min(c.cost, BETWEEN)
              : CAUSE[c.kind] * placed(v, c) * BETWEEN + Math.min(c.cost, BETWEEN);
      return out;
    },
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

/** Whether some number is in all three sets; the first may be shorter. */
function meets(a: Bits, b: Bits, c: Bits): boolean {
  for (let w = 0; w < a.length; w++) if (a[w]! & b[w]! & c[w]!) return true;
  return false;
}

export type CutAnswer = { met: true; cuts: Cut[] } | { met: false; prevents: string[] };

/**
 * The cuts of a goal, of different character, each once; or, where it cannot be met, the uncuttable way
 * that prevents it, step by step.
 */
export function cutsOf(n: CutNetwork): CutAnswer {
  const cuts: Cut[] = [];
  for (const character of CHARACTERS) {
    const capacities = n.capacities(character);
    const proof = n.network.minCut(n.source, n.sink, capacities);
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
    const changes = proof.edges.map((e) => n.byEdge.get(e)!);
    const same = (other: Cut): boolean =>
      other.changes.length === changes.length && other.changes.every((c) => changes.includes(c));
    if (cuts.some(same)) continue;
    cuts.push({
      character,
      changes,
      value: proof.value,
      proof,
      instead: changes.map((c) => insteadOf(n, c)),
    });
  }
  return { met: true, cuts };
}

/** How many others are told for each change. */
const TOLD = 4;

/** Candidates on the ways that lead through a change, that would each close one of them. */
function insteadOf(n: CutNetwork, c: Candidate): Candidate[] {
  const found = new Set<Candidate>();
  const { network } = n;
  const [into, out] = network.ends(c.edge);
  const follow = (from: number, forward: boolean): void => {
    const seen = new Set([from]);
    for (const v of seen)
      for (const e of network.edgesAt(v, forward)) {
        const other = n.byEdge.get(e);
        if (other && other !== c) found.add(other);
        // the nearest on each way is enough
        else seen.add(network.ends(e)[forward ? 1 : 0]);
        if (found.size > 50) return;
      }
  };
  follow(into, false);
  follow(out, true);
  return [...found].sort((a, b) => a.cost - b.cost).slice(0, TOLD);
}
