/**
 * What each candidate of a cut costs: what it takes, alone, from whom the goal does not want to lose it.
 * A few candidates are each tried; of many, what they name is counted (docs/remedy.md).
 */
import { bitsFor, has, ones, union, type Bits } from '../access/bits.ts';
import { whatIf } from '../access/difference.ts';
import { groupsAbove, groupsHoldingGroup, groupsOfUser } from '../access/groups.ts';
import { GrowInt32 } from '../access/growable.ts';
import {
  itemsBelow,
  nodeOfItem,
  parentNode,
  PRINCIPAL,
  spaceOfNode,
  type Organisation,
} from '../access/organisation.ts';
import { addHolders, forEachRedeemer, LINK_NAMED, type ReachColumns } from '../access/reach.ts';
import type { Usage } from '../access/usage.ts';
import { soleIdentity, type View } from '../access/view.ts';
import { whatOf } from '../access/what.ts';
import type { Candidate, Goal } from './candidate.ts';

/** A use weighs as much as so many grants that nobody uses. */
export const USED = 25;
/** Up to so many candidates are each tried by what-if; of more, what they name is counted. */
const EXACT = 300;

export interface CostOptions {
  usage?: Usage | undefined;
  /** Uses from this moment on count, in milliseconds. */
  since?: number;
  /** By item: 1 for a file; all of them where absent. */
  isFile?: Uint8Array;
  /** So many candidates at most are each tried. */
  exact?: number;
}

/** What both ways of weighing ask about a goal. */
interface Asked {
  v: View;
  goal: Goal;
  /** By item: 1 where the goal is about it. */
  wanted: Uint8Array;
  /** Whom the goal keeps out. */
  shut: Bits;
  counts: (item: number) => boolean;
  /** Whether the k-th use is of late. */
  late: (k: number) => boolean;
  usage: Usage | undefined;
  isFile: Uint8Array | undefined;
}

/** Sets the cost of every candidate; says whether it is an estimate. */
export function weigh(
  v: View,
  columns: ReachColumns,
  goal: Goal,
  candidates: Candidate[],
  { usage, since = 0, isFile, exact = EXACT }: CostOptions,
): boolean {
  const wanted = new Uint8Array(v.org.itemIds.length);
  for (const i of goal.items) wanted[i] = 1;
  const shut = bitsFor(v.identityCount);
  union(shut, goal.who);
  if (goal.group !== undefined) union(shut, v.groupMembers[goal.group]!);
  const asked: Asked = {
    v,
    goal,
    wanted,
    shut,
    counts: (i) => !isFile || isFile[i] === 1,
    late: (k) => usage!.opened[k]! >= since || usage!.edited[k]! >= since,
    usage,
    isFile,
  };
  const few = candidates.length <= exact;
  if (few) tryEach(asked, columns, candidates);
  else countNamed(asked, candidates);
  return !few;
}

function tryEach(asked: Asked, columns: ReachColumns, candidates: readonly Candidate[]): void {
  const { v, wanted, shut, usage, counts, late } = asked;
  const S = v.org.spaces.length;
  const usedBy = (item: number, identity: number): boolean => {
    if (!usage) return false;
    for (let k = usage.start[item]!; k < usage.start[item + 1]!; k++)
      if (usage.identity[k] === identity && late(k)) return true;
    return false;
  };
  const loss = (item: number, identity: number): number =>
    wanted[item] && has(shut, identity) ? 0 : usedBy(item, identity) ? USED : 1;
  for (const c of candidates) {
    c.cost = 0;
    if ('user' in c.change) {
      // a suspended account loses whatever it has, and nobody else loses anything
      const u = v.org.find('user', c.change.user);
      const held = whatOf(v, { identity: u });
      for (let node = S; node < held.length; node++)
        if (held[node] && counts(node - S)) c.cost += loss(node - S, u);
      continue;
    }
    for (const g of whatIf(v, [c.change], columns).groups)
      for (const node of g.nodes) {
        if (node < S || !counts(node - S)) continue;
        g.identities.forEach((identity, k) => {
          if ((g.before[k]! & ~g.after[k]!) !== 0) c.cost += loss(node - S, identity);
        });
      }
  }
}

/** How many of a set a space lets in, and how many of them the goal keeps out. */
interface LetIn {
  all: number;
  out: number;
}

/** Whoever a candidate names, times the files below; other ways to them are not looked at. */
function countNamed(asked: Asked, candidates: readonly Candidate[]): void {
  const { v, wanted, shut, usage, late } = asked;
  const { org } = v;
  const below = belowNodes(asked);
  // uses of late that somebody would miss: of those that the goal keeps out, those that it is not about
  const missed = new GrowInt32();
  const missedFrom = new Int32Array(org.itemIds.length + 1);
  for (let i = 0; i < org.itemIds.length; i++) {
    for (let k = usage?.start[i] ?? 0; usage && k < usage.start[i + 1]!; k++)
      if (late(k) && !(wanted[i] && has(shut, usage.identity[k]!))) missed.push(usage.identity[k]!);
    missedFrom[i + 1] = missed.length;
  }
  const missedBy = missed.done();
  /** Uses at a node and below by some identities that they would miss. */
  const usedAt = (node: number, by: (identity: number) => boolean): number => {
    const [from, to] = itemsBelow(org, node);
    let used = 0;
    for (let k = missedFrom[from]!; k < missedFrom[to]!; k++) if (by(missedBy[k]!)) used++;
    return used;
  };
  /** By set and by those whom a space lets in: most candidates name a group, and most spaces let everybody in. */
  const letIn = new Map<Bits, Map<Bits, LetIn>>();
  const letInOf = (set: Bits, allowed: Bits): LetIn => {
    const known = letIn.get(set) ?? new Map<Bits, LetIn>();
    letIn.set(set, known);
    let n = known.get(allowed);
    if (!n) {
      n = { all: 0, out: 0 };
      for (let w = 0; w < set.length; w++) {
        const word = set[w]! & allowed[w]!;
        if (!word) continue;
        n.all += ones(word);
        n.out += ones(word & shut[w]!);
      }
      known.set(allowed, n);
    }
    return n;
  };
  /** What a set of identities holds at a node and below; those the goal keeps out keep only what it is not about. */
  const at = (node: number, set: Bits): number => {
    const { allowed } = v.spaces[spaceOfNode(org, node)]!;
    const n = letInOf(set, allowed);
    const { all, kept } = below(node);
    const used = n.all ? usedAt(node, (identity) => has(set, identity) && has(allowed, identity)) : 0;
    return (n.all - n.out) * all + n.out * kept + used * (USED - 1);
  };
  /** The same of one identity; none where it is −1. */
  const atOne = (node: number, identity: number): number => {
    if (identity < 0 || !has(v.spaces[spaceOfNode(org, node)]!.allowed, identity)) return 0;
    const { all, kept } = below(node);
    return (has(shut, identity) ? kept : all) + usedAt(node, (i) => i === identity) * (USED - 1);
  };
  /** By node: whoever is named on it and above. Where nothing is on a node, it is the set of the one above. */
  const applied = new Map<number, Bits>([[-1, bitsFor(v.identityCount)]]);
  const applying = (node: number): Bits => {
    const { first } = org.entries;
    const path: number[] = [];
    let up = node;
    for (; !applied.has(up); up = parentNode(org, up)) path.push(up);
    let set = applied.get(up)!;
    for (const n of path.reverse()) {
      if (first[n]! < first[n + 1]!) {
        set = set.slice();
        for (let e = first[n]!; e < first[n + 1]!; e++) if (v.live[e]) addHolders(v, set, e);
      }
      applied.set(n, set);
    }
    return set;
  };
  const suspended = candidates.some((c) => 'user' in c.change);
  const sums =
    suspended || candidates.some((c) => c.kind === 'membership') ? sumsOf(asked, below) : undefined;
  const costOf = suspended ? suspendedCosts(asked, sums!) : undefined;
  const aboveOf = sums && sumsAbove(org, sums.groups);
  for (const c of candidates) {
    const { change, entry } = c;
    if (entry !== undefined) {
      const node = org.entries.node[entry]!;
      const [kind, number] = soleNamed(v, entry) ?? [-1, -1];
      if (kind === PRINCIPAL.user || kind === PRINCIPAL.address)
        c.cost = atOne(node, soleIdentity(v, kind, number));
      else if (kind === PRINCIPAL.group) c.cost = at(node, v.groupMembers[number]!);
      else {
        const named = bitsFor(v.identityCount);
        addHolders(v, named, entry);
        c.cost = at(node, named);
        letIn.delete(named);
      }
    } else if ('member' in change) {
      const user = org.find('user', change.member.value);
      const { all: some, out } =
        user < 0
          ? letInOf(v.groupMembers[org.find('group', change.member.value)]!, v.all)
          : { all: 1, out: Number(has(shut, user)) };
      // whoever leaves the group leaves those that hold it
      const { all, kept } = aboveOf!(org.find('group', change.member.group));
      c.cost = (some - out) * all + out * kept;
    } else if ('user' in change) c.cost = costOf!(org.find('user', change.user));
    else if ('space' in change) {
      const s = org.find('space', change.space);
      if (c.kind === 'visibility') c.cost = at(s, v.members);
      else {
        const named = applying(s).slice();
        for (let w = 0; w < named.length; w++) named[w]! &= v.externals[w]!;
        c.cost = at(s, named);
      }
    } else if ('item' in change) {
      const node = nodeOfItem(org, org.find('item', change.item));
      c.cost = at(node, applying(parentNode(org, node)));
    }
  }
}

/** Files at a node and below, and those of them that the goal is not about. */
function belowNodes({ v, wanted, counts }: Asked): (node: number) => { all: number; kept: number } {
  const { org } = v;
  const files = new Int32Array(org.itemIds.length + 1);
  const wantedFiles = new Int32Array(org.itemIds.length + 1);
  for (let i = 0; i < org.itemIds.length; i++) {
    const file = counts(i) ? 1 : 0;
    files[i + 1] = files[i]! + file;
    wantedFiles[i + 1] = wantedFiles[i]! + (wanted[i] ? file : 0);
  }
  return (node) => {
    const [from, to] = itemsBelow(org, node);
    const all = files[to]! - files[from]!;
    return { all, kept: all - (wantedFiles[to]! - wantedFiles[from]!) };
  };
}

/** What a grant, or a link to named people, names and nothing else, by kind and number; undefined where it names more. */
function soleNamed(v: View, entry: number): readonly [kind: number, number: number] | undefined {
  const { type, toKind, toNumber } = v.org.entries;
  const at = toKind.start[entry]!;
  if (type[entry]! > LINK_NAMED || toKind.start[entry + 1]! - at !== 1) return undefined;
  return [toKind.values[at]!, toNumber.values[at]!];
}

/** Files below what names each group, and each identity by itself, and whoever it is; and files that each owns. */
interface Sums {
  groups: Float64Array;
  identities: Float64Array;
  anyone: number;
}
const noSums = (v: View): Sums => ({
  groups: new Float64Array(v.org.groups.length),
  identities: new Float64Array(v.identityCount),
  anyone: 0,
});

/** Adds what the entries from one on and before another name. */
function sumEntries(v: View, from: number, to: number, files: (node: number) => number, sums: Sums): void {
  const { toKind, toNumber, redeemedKind, node } = v.org.entries;
  // entries stand in the order of their nodes
  let at = -1;
  let n = 0;
  const one = (identity: number): void => {
    if (identity >= 0) sums.identities[identity]! += n;
  };
  for (let e = from; e < to; e++) {
    if (!v.live[e]) continue;
    if (node[e] !== at) n = files((at = node[e]!));
    if (redeemedKind.start[e]! < redeemedKind.start[e + 1]!) forEachRedeemer(v, e, one);
    for (let k = toKind.start[e]!; k < toKind.start[e + 1]!; k++) {
      const [kind, number] = [toKind.values[k]!, toNumber.values[k]!];
      if (kind === PRINCIPAL.group) sums.groups[number]! += n;
      else if (kind === PRINCIPAL.anyone) sums.anyone += n;
      else if (kind === PRINCIPAL.domain) v.domainMembers[number]!.forEach(one);
      else one(soleIdentity(v, kind, number));
    }
  }
}

/** Sums over all entries of a view, whatever the goal; made once for a view and what counts as a file. */
const sumsOfAll = new WeakMap<View, { isFile: Uint8Array | undefined; sums: Sums }>();

/** Sums of all files, and of those that the goal is about: only what is on and above these has any. */
function sumsOf(
  asked: Asked,
  below: ReturnType<typeof belowNodes>,
): { all: Sums; groups: GroupSums; wanted: Sums } {
  const { v, goal, counts } = asked;
  const { org } = v;
  let all = sumsOfAll.get(v);
  if (all?.isFile !== asked.isFile || !all) {
    const sums = noSums(v);
    sumEntries(v, 0, v.live.length, (node) => below(node).all, sums);
    for (let i = 0; i < org.itemIds.length; i++)
      if (counts(i) && org.itemOwner[i]! >= 0) sums.identities[org.itemOwner[i]!]!++;
    sumsOfAll.set(v, (all = { isFile: asked.isFile, sums }));
  }
  const wanted = noSums(v);
  const nodes = new Set<number>();
  for (const item of goal.items) {
    if (counts(item) && org.itemOwner[item]! >= 0) wanted.identities[org.itemOwner[item]!]!++;
    for (let n = nodeOfItem(org, item); n >= 0 && !nodes.has(n); n = parentNode(org, n)) nodes.add(n);
  }
  const { first } = org.entries;
  const about = (node: number): number => {
    const { all, kept } = below(node);
    return all - kept;
  };
  for (const n of nodes) sumEntries(v, first[n]!, first[n + 1]!, about, wanted);
  const groups = {
    all: all.sums.groups,
    kept: all.sums.groups.map((n, g) => n - wanted.groups[g]!),
  };
  return { all: all.sums, groups, wanted };
}

interface GroupSums {
  all: Float64Array;
  kept: Float64Array;
}

/** Of a group and all that hold it: the sums of both numbers. */
interface Above {
  all: number;
  kept: number;
  /** The groups that are in the sums because of one that several hold. */
  several: ReadonlySet<number> | undefined;
}

/**
 * Sums over each group and those that hold it. A chain of groups, each held by the next alone, is gone through
 * once: what the one above comes to, and the group's own.
 */
function sumsAbove(org: Organisation, own: GroupSums): (group: number) => Above {
  const known = new Map<number, Above>();
  const counted = (group: number): Above => {
    const several = groupsAbove(org, [group]);
    const sums = { all: 0, kept: 0, several };
    for (const g of several) {
      sums.all += own.all[g]!;
      sums.kept += own.kept[g]!;
    }
    return sums;
  };
  return (group) => {
    const path = new Set<number>();
    let top = group;
    for (
      let by;
      !known.has(top) && !path.has(top) && (by = groupsHoldingGroup(org, top)).length === 1;
      top = by[0]!
    )
      path.add(top);
    let sums = known.get(top);
    if (!sums) known.set(top, (sums = counted(top)));
    for (const g of [...path].reverse()) {
      // a group that holds what holds it is counted already
      if (!sums.several?.has(g))
        sums = { all: sums.all + own.all[g]!, kept: sums.kept + own.kept[g]!, several: sums.several };
      known.set(g, sums);
    }
    return sums;
  };
}

/** What a suspended account loses: files that the goal is not about, by what names it, by its groups and as owner, and uses of late. */
function suspendedCosts(
  { v, goal, wanted, usage, late }: Asked,
  { all, groups, wanted: about }: ReturnType<typeof sumsOf>,
): (user: number) => number {
  const { org } = v;
  const used = new Map<number, number>();
  for (let i = 0; usage && i < org.itemIds.length; i++)
    for (let k = usage.start[i]!; k < usage.start[i + 1]!; k++) {
      const identity = usage.identity[k]!;
      if (late(k) && !(wanted[i] && has(goal.who, identity)))
        used.set(identity, (used.get(identity) ?? 0) + USED - 1);
    }
  return (u) => {
    let cost = all.identities[u]! - about.identities[u]! + all.anyone - about.anyone + (used.get(u) ?? 0);
    for (const g of groupsOfUser(org, u)) cost += groups.kept[g]!;
    return cost;
  };
}
