/** What makes exposures: the grants, links, visibilities and memberships, by how much one change at each would close. */
import { forEachBoth, has } from '../access/bits.ts';
import { withdrawal, type Change } from '../access/change.ts';
import { losersOf, whatIf } from '../access/difference.ts';
import { groupsHolding } from '../access/groups.ts';
import { PRINCIPAL } from '../access/organisation.ts';
import type { ReachColumns } from '../access/reach.ts';
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

/** Causes are worked out one by one: no more than this many, those that most depends on. */
const MOST = 60;
/** People from outside in one group, looked at as memberships. */
const INSIDE = 20;

/**
 * What stands behind exposures, each thing once, with the points of the exposures that it has a part
 * in. `most`: how many are wanted, those with the most points.
 */
export function candidates(
  v: View,
  exposures: readonly ItemExposure[],
  most = Infinity,
): (Candidate & { at: number })[] {
  const { entries } = v.org;
  const [ofEntry, ofSpace, ofGroup, ofIdentity] = [0, 1, 2, 3].map(() => new Map<number, number>()) as [Points, Points, Points, Points];
  const count = (points: Points, key: number, more: number): void => void points.set(key, (points.get(key) ?? 0) + more);
  for (const { points, through } of exposures)
    for (const { entry, at } of through)
      if (entry === 'visibility') count(ofSpace, at, points);
      else if (entry !== 'ownership') count(ofEntry, entry, points);
  for (const [entry, points] of ofEntry)
    for (let k = entries.toKind.start[entry]!; k < entries.toKind.start[entry + 1]!; k++)
      if (entries.toKind.values[k] === PRINCIPAL.group) count(ofGroup, entries.toNumber.values[k]!, points);
  for (const [group, points] of ofGroup) {
    let inside = 0;
    forEachBoth(v.groupMembers[group]!, v.externals, (identity) => inside++ < INSIDE && count(ofIdentity, identity, points));
  }

  const found: { at: number; make: () => Candidate }[] = [];
  for (const [space, at] of ofSpace)
    found.push({ at, make: () => ({ kind: 'visibility', space, change: { space: v.org.spaces[space]!.id, set: { visibility: 'members' } } }) });
  for (const [entry, at] of ofEntry)
    found.push({ at, make: () => ({ kind: entries.type[entry] ? 'link' : 'grant', entry, change: withdrawal(v.org, entry) }) });
  for (const [identity, at] of ofIdentity)
    for (const group of groupsHolding(v.org, identity))
      found.push({
        at,
        make: () => ({ kind: 'membership', identity, group, change: { member: { group: v.org.groups[group]!.id, value: identityName(v, identity) } } }),
      });
  const least = found.length > most ? Float64Array.from(found, (f) => -f.at).sort()[most - 1]! : 0;
  return found
    .filter((f) => -f.at <= least)
    .sort((a, b) => b.at - a.at)
    .slice(0, most)
    .map(({ at, make }) => ({ ...make(), at }));
} // prettier-ignore
type Points = Map<number, number>;

/**
 * The causes of exposures, the one first that closes most by itself. Each is worked out by what-if, so
 * that what is reached by another way too is not counted as closed. Those that close nothing alone are
 * left out.
 */
export function causesOf(
  v: View,
  columns: ReachColumns,
  weights: Uint8Array,
  exposures: readonly ItemExposure[],
): Cause[] {
  const before = new Map(exposures.map((e) => [e.item, e.points]));
  const S = v.org.spaces.length;
  const tried = (changes: readonly Change[]) => {
    const difference = whatIf(v, changes, columns);
    const items = [...difference.touched].filter((n) => n >= S && before.has(n - S)).map((n) => n - S);
    const after = new Map(findExposures(difference.view, difference.after, weights, items).map((e) => [e.item, e.points]));
    return { difference, items, after };
  };
  const ranked = candidates(v, exposures, MOST);
  const causes = ranked.flatMap(({ at: _, ...candidate }): Cause[] => {
    const { difference, items, after } = tried([candidate.change]);
    const closes = new Map<number, number>();
    let [points, findings] = [0, 0];
    for (const item of items) {
      const closed = before.get(item)! - (after.get(item) ?? 0);
      if (closed <= 0) continue;
      closes.set(item, closed);
      points += closed;
      if (!after.has(item)) findings++;
    }
    if (!points) return [];
    const all = [...losersOf(difference)];
    const members = all.filter((i) => has(v.members, i));
    const external = all.filter((i) => !has(v.members, i));
    return [{ ...candidate, closes, points, findings, members, external, together: 0 }];
  });
  // of two that close as much, the one that fewer members would feel
  causes.sort((a, b) => b.points - a.points || a.members.length - b.members.length);
  const changes: Change[] = [];
  for (const cause of causes) {
    changes.push(cause.change);
    const { items, after } = tried(changes);
    cause.together = items.reduce((n, i) => n + Math.max(0, before.get(i)! - (after.get(i) ?? 0)), 0);
  }
  return causes;
} // prettier-ignore
