/**
 * What each candidate of a cut costs: what it takes, alone, from whom the goal does not want to lose it.
 * A few candidates are each tried; of many, what they name is counted (docs/remedy.md).
 */
import { add, bitsFor, countBoth, forEachBoth, has, union, type Bits } from '../access/bits.ts';
import { whatIf } from '../access/difference.ts';
import { groupsAbove, groupsHoldingGroup } from '../access/groups.ts';
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
import { addPrincipal, soleIdentity, type View } from '../access/view.ts';
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
}

/** Sets the cost of every candidate. */
export function weigh(
  v: View,
  columns: ReachColumns,
  goal: Goal,
  candidates: Candidate[],
  { usage, since = 0, isFile, exact = EXACT }: CostOptions,
): void {
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
  };
  if (candidates.length <= exact) tryEach(asked, columns, candidates);
  else countNamed(asked, candidates);
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

/** Whoever a candidate names, times the files below; other ways to them are not looked at. */
function countNamed(asked: Asked, candidates: readonly Candidate[]): void {
  const { v, wanted, shut, usage, counts, late } = asked;
  const { org } = v;
  const files = new Int32Array(org.itemIds.length + 1);
  const wantedFiles = new Int32Array(org.itemIds.length + 1);
  for (let i = 0; i < org.itemIds.length; i++) {
    files[i + 1] = files[i]! + (counts(i) ? 1 : 0);
    wantedFiles[i + 1] = wantedFiles[i]! + (counts(i) && wanted[i] ? 1 : 0);
  }
  const below = (node: number): { all: number; kept: number } => {
    const [from, to] = itemsBelow(org, node);
    const all = files[to]! - files[from]!;
    return { all, kept: all - (wantedFiles[to]! - wantedFiles[from]!) };
  };
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
  /** What a set of identities holds at a node and below; those the goal keeps out keep only what it is not about. */
  const at = (node: number, set: Bits): number => {
    const { allowed } = v.spaces[spaceOfNode(org, node)]!;
    for (let w = 0; w < set.length; w++) set[w]! &= allowed[w]!;
    const out = countBoth(set, shut);
    const { all, kept } = below(node);
    const used = usedAt(node, (identity) => has(set, identity));
    return (countBoth(set, set) - out) * all + out * kept + used * (USED - 1);
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
    let at = node;
    for (; !applied.has(at); at = parentNode(org, at)) path.push(at);
    let set = applied.get(at)!;
    for (const n of path.reverse()) {
      if (first[n]! < first[n + 1]!) {
        set = set.slice();
        for (let e = first[n]!; e < first[n + 1]!; e++) if (v.live[e]) addHolders(v, set, e);
      }
      applied.set(n, set);
    }
    return set;
  };
  const suspended = new Map<number, number>();
  for (const { change } of candidates) if ('user' in change) suspended.set(org.find('user', change.user), 0);
  const groupFiles =
    suspended.size || candidates.some((c) => c.kind === 'membership') ? belowGroups(asked, below) : undefined;
  if (suspended.size) countSuspended(asked, suspended, groupFiles!.kept, below);
  const aboveOf = groupFiles && sumsAbove(org, groupFiles);
  const named = bitsFor(v.identityCount);
  for (const c of candidates) {
    c.cost = 0;
    const { change } = c;
    const sole = c.entry === undefined ? undefined : soleHolder(v, c.entry);
    if (c.entry !== undefined && sole !== undefined) {
      c.cost = atOne(org.entries.node[c.entry]!, sole);
      continue;
    }
    named.fill(0);
    if (c.entry !== undefined) {
      addHolders(v, named, c.entry);
      c.cost = at(org.entries.node[c.entry]!, named);
    } else if ('member' in change) {
      const user = org.find('user', change.member.value);
      if (user < 0) addPrincipal(v, named, PRINCIPAL.group, org.find('group', change.member.value));
      const out = user < 0 ? countBoth(named, shut) : Number(has(shut, user));
      const keep = (user < 0 ? countBoth(named, named) : 1) - out;
      // whoever leaves the group leaves those that hold it
      const { all, kept } = aboveOf!(org.find('group', change.member.group));
      c.cost = keep * all + out * kept;
    } else if ('user' in change) c.cost = suspended.get(org.find('user', change.user))!;
    else if ('space' in change) {
      const s = org.find('space', change.space);
      if (c.kind === 'visibility') named.set(v.members);
      else {
        named.set(applying(s));
        for (let w = 0; w < named.length; w++) named[w]! &= v.externals[w]!;
      }
      c.cost = at(s, named);
    } else if ('item' in change) {
      const node = nodeOfItem(org, org.find('item', change.item));
      named.set(applying(parentNode(org, node)));
      c.cost = at(node, named);
    }
  }
}

/** The one identity that an entry opens to, −1 where it is nobody's; undefined where it names more than an account or address. */
function soleHolder(v: View, entry: number): number | undefined {
  const { type, toKind, toNumber } = v.org.entries;
  const at = toKind.start[entry]!;
  if (type[entry]! > LINK_NAMED || toKind.start[entry + 1]! - at !== 1) return undefined;
  const kind = toKind.values[at]!;
  if (kind !== PRINCIPAL.user && kind !== PRINCIPAL.address) return undefined;
  return soleIdentity(v, kind, toNumber.values[at]!);
}

/** Files below what names each group, and those of them that the goal is not about. */
function belowGroups(
  { v }: Asked,
  below: (node: number) => { all: number; kept: number },
): { all: Float64Array; kept: Float64Array } {
  const { entries, groups } = v.org;
  const sums = { all: new Float64Array(groups.length), kept: new Float64Array(groups.length) };
  for (let e = 0; e < v.live.length; e++)
    for (let k = entries.toKind.start[e]!; v.live[e] && k < entries.toKind.start[e + 1]!; k++) {
      if (entries.toKind.values[k] !== PRINCIPAL.group) continue;
      const { all, kept } = below(entries.node[e]!);
      sums.all[entries.toNumber.values[k]!]! += all;
      sums.kept[entries.toNumber.values[k]!]! += kept;
    }
  return sums;
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
function sumsAbove(
  org: Organisation,
  own: { all: Float64Array; kept: Float64Array },
): (group: number) => Above {
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

/**
 * Files that the goal is not about, below what names each of some accounts: all accounts in one pass over the
 * entries, because there are thousands of guests in a large organisation.
 */
function countSuspended(
  { v, goal, wanted, counts, usage, late }: Asked,
  cost: Map<number, number>,
  groupFiles: Float64Array,
  below: (node: number) => { kept: number },
): void {
  const { org } = v;
  const { entries } = org;
  const asked = bitsFor(v.identityCount);
  for (const u of cost.keys()) add(asked, u);
  const isAsked = (identity: number): boolean => identity >= 0 && has(asked, identity);
  const more = (identity: number, n: number): void => {
    if (isAsked(identity)) cost.set(identity, cost.get(identity)! + n);
  };
  let everybody = 0;
  let node = 0;
  const one = (identity: number): void => {
    if (isAsked(identity)) more(identity, below(node).kept);
  };
  const { toKind, toNumber, redeemedKind } = entries;
  for (let e = 0; e < v.live.length; e++) {
    if (!v.live[e]) continue;
    node = entries.node[e]!;
    if (redeemedKind.start[e]! < redeemedKind.start[e + 1]!) forEachRedeemer(v, e, one);
    for (let k = toKind.start[e]!; k < toKind.start[e + 1]!; k++) {
      const [kind, n] = [toKind.values[k]!, toNumber.values[k]!];
      if (kind === PRINCIPAL.anyone) everybody += below(node).kept;
      else if (kind === PRINCIPAL.domain) v.domainMembers[n]!.forEach(one);
      else one(soleIdentity(v, kind, n));
    }
  }
  for (const u of cost.keys()) more(u, everybody);
  for (let g = 0; g < org.groups.length; g++)
    if (groupFiles[g]) forEachBoth(v.groupMembers[g]!, asked, (u) => more(u, groupFiles[g]!));
  const kept = (item: number, identity: number): boolean => !(wanted[item] && has(goal.who, identity));
  for (let i = 0; i < org.itemIds.length; i++) {
    if (counts(i) && !wanted[i]) more(org.itemOwner[i]!, 1);
    for (let k = usage?.start[i] ?? 0; usage && k < usage.start[i + 1]!; k++)
      if (late(k) && kept(i, usage.identity[k]!)) more(usage.identity[k]!, USED - 1);
  }
}
