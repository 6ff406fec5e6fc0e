/** What makes exposures: the grants, links, visibilities and memberships, by how much one change at each would close. */
import { forEachBoth, has } from '../access/bits.ts';
import { alter, withdrawal, type Change } from '../access/change.ts';
import { felt } from '../access/difference.ts';
import { groupsAbove, groupsHolding } from '../access/groups.ts';
import { PRINCIPAL } from '../access/organisation.ts';
import { reach, type ReachColumns } from '../access/reach.ts';
import { identityName, type View } from '../access/view.ts';
import { findExposures, type ItemExposure } from './find.ts';

/** Something that makes exposures. */
export interface Candidate {
  kind: 'grant' | 'link' | 'visibility' | 'membership';
  /** The one change that undoes it. */
  change: Change;
  /** The grant or link. */
  entry?: number;
  /** The space that is visible. */
  space?: number;
  /** Who from outside is in which group. */
  identity?: number;
  group?: number;
}

/** The same with what undoing it would do. */
export interface Cause extends Candidate {
  /** Items whose points become fewer, with how many. */
  closes: Map<number, number>;
  points: number;
  /** Findings that are no more. */
  findings: number;
  /** Identities that lose some capability, members and others. */
  members: number[];
  external: number[];
  /** Points closed by this and all causes before it together. */
  together: number;
}

/** Causes are worked out one by one: no more than this many of a kind, those that most depends on. */
const MOST = 30;
/** People from outside in one group, looked at as memberships. */
const INSIDE = 20;

/**
 * What stands behind exposures, each thing once, with the points of the exposures that it has a part
 * in. `most`: how many of a kind are wanted, those with the most points.
 */
export function candidates(
  v: View,
  exposures: readonly ItemExposure[],
  most = Infinity,
): (Candidate & { at: number })[] {
  const { entries } = v.org;
  const [ofEntry, ofSpace, ofGroup, ofIdentity] = [0, 1, 2, 3].map(() => new Map<number, number>()) as [
    Points,
    Points,
    Points,
    Points,
  ];
  const count = (points: Points, key: number, more: number): void =>
    void points.set(key, (points.get(key) ?? 0) + more);
  const first = <T>(found: [T, number][]): [T, number][] => found.sort((a, b) => b[1] - a[1]).slice(0, most);
  for (const { points, through } of exposures)
    for (const { entry, at } of through)
      if (entry === 'visibility') count(ofSpace, at, points);
      else if (entry !== 'ownership') count(ofEntry, entry, points);
  const inside = new Map<number, number[]>();
  for (const [entry, points] of ofEntry)
    for (let k = entries.toKind.start[entry]!; k < entries.toKind.start[entry + 1]!; k++)
      if (entries.toKind.values[k] === PRINCIPAL.group) count(ofGroup, entries.toNumber.values[k]!, points);
  for (const [group, points] of ofGroup) {
    const list: number[] = [];
    forEachBoth(v.groupMembers[group]!, v.externals, (i) => list.length < INSIDE && list.push(i));
    inside.set(group, list);
    for (const i of list) count(ofIdentity, i, points);
  }
  const memberships = first([...ofIdentity]).flatMap(([identity]) =>
    [...groupsHolding(v.org, identity)].map((group): [[number, number], number] => {
      let at = 0;
      for (const g of groupsAbove(v.org, [group]))
        if (inside.get(g)?.includes(identity)) at += ofGroup.get(g)!;
      return [[identity, group], at];
    }),
  );
  const links = [...ofEntry].filter(([e]) => entries.type[e]);
  const grants = [...ofEntry].filter(([e]) => !entries.type[e]);
  return [
    ...first([...ofSpace]).map(([space, at]) => {
      const change = { space: v.org.spaces[space]!.id, set: { visibility: 'members' as const } };
      return { kind: 'visibility' as const, space, change, at };
    }),
    ...[...first(grants), ...first(links)].map(([entry, at]) => {
      return {
        kind: entries.type[entry] ? ('link' as const) : ('grant' as const),
        entry,
        change: withdrawal(v.org, entry),
        at,
      };
    }),
    ...first(memberships.filter(([, at]) => at)).map(([[identity, group], at]) => {
      const change = { member: { group: v.org.groups[group]!.id, value: identityName(v, identity) } };
      return { kind: 'membership' as const, identity, group, change, at };
    }),
  ].sort((a, b) => b.at - a.at);
}
type Points = Map<number, number>;

/** What one change does to the items that are exposed: those it touches, and their points with it. */
interface Tried {
  items: number[];
  after: Map<number, number>;
  losers: number[];
}

/**
 * The causes of exposures, the one first that closes most by itself. Each is worked out by what-if, so
 * that what is reached by another way too is not counted as closed. Those that close nothing alone are
 * left out. Goes on a step whenever it is asked for the next value; the causes are what it returns.
 */
export function* causesOf(
  v: View,
  columns: ReachColumns,
  weights: Uint8Array,
  exposures: readonly ItemExposure[],
): Generator<undefined, Cause[]> {
  const before = new Map(exposures.map((e) => [e.item, e.points]));
  const S = v.org.spaces.length;
  let scratch: ReachColumns | undefined;
  const pointsOf = (later: View, items: readonly number[], known?: ReachColumns): Map<number, number> => {
    const reached =
      known ??
      (scratch = reach(
        later,
        Int32Array.from(items, (i) => S + i),
        undefined,
        undefined,
        scratch,
      ));
    return new Map(findExposures(later, reached, weights, items).map((e) => [e.item, e.points]));
  };
  const tried = ({ change }: Candidate): Tried => {
    const { view: later, touched, losers, after } = felt(v, [change], columns);
    const items = [...touched].filter((n) => n >= S && before.has(n - S)).map((n) => n - S);
    return { items, after: pointsOf(later, items, after), losers };
  };
  const touching = new Map<Cause, number[]>();
  const causes: Cause[] = [];
  for (const { at: _, ...candidate } of candidates(v, exposures, MOST)) {
    yield;
    const { items, after, losers } = tried(candidate);
    const closes = new Map<number, number>();
    let [points, findings] = [0, 0];
    for (const item of items) {
      const closed = before.get(item)! - (after.get(item) ?? 0);
      if (closed <= 0) continue;
      closes.set(item, closed);
      points += closed;
      if (!after.has(item)) findings++;
    }
    if (!points) continue;
    const members = losers.filter((i) => has(v.members, i));
    const external = losers.filter((i) => !has(v.members, i));
    const cause = { ...candidate, closes, points, findings, members, external, together: 0 };
    touching.set(cause, items);
    causes.push(cause);
  }
  // of two that close as much, the one that fewer members would feel
  causes.sort((a, b) => b.points - a.points || a.members.length - b.members.length);
  // one after the other: a change alters nothing further than it does by itself
  const left = new Map(before);
  let later = v;
  let together = 0;
  for (const cause of causes) {
    yield;
    const items = touching.get(cause)!;
    later = alter(later, [cause.change]).view;
    const after = pointsOf(later, items);
    for (const item of items) {
      together += Math.max(0, left.get(item)! - (after.get(item) ?? 0));
      left.set(item, Math.min(left.get(item)!, after.get(item) ?? 0));
    }
    cause.together = together;
  }
  return causes;
}
