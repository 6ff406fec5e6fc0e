/** Which spaces are in every way the same at two moments, so that what was worked out of them still holds. */
import { sameJson } from '../equal.ts';
import { identityName, type View } from './view.ts';

/** By space of the later view: the space of the earlier that is the same with all that is in it, or −1. */
export type Alike = Int32Array;

const sameNumbers = (a: ArrayLike<number>, b: ArrayLike<number>): boolean => {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
};
const sameTexts = (a: readonly string[], b: readonly string[]): boolean =>
  a.length === b.length && a.every((x, i) => x === b[i]);

/**
 * Whether everybody has the same number in both, and groups and domains stand for the same people: what is on a space then
 * depends on that space alone.
 */
const samePeople = (a: View, b: View): boolean =>
  sameUsersAndGroups(a, b) &&
  a.identityCount === b.identityCount &&
  sameTexts(a.outsiders, b.outsiders) &&
  sameTexts(a.org.addresses, b.org.addresses) &&
  sameTexts(a.org.domains, b.org.domains) &&
  sameTexts(a.domainNames, b.domainNames) &&
  sameNumbers(a.identityOfAddress, b.identityOfAddress) &&
  sameNumbers(a.identityDomain, b.identityDomain) &&
  sameNumbers(a.domainStanding, b.domainStanding) &&
  sameNumbers(a.unexpectedDomains, b.unexpectedDomains) &&
  sameNumbers(a.all, b.all) &&
  sameNumbers(a.members, b.members) &&
  a.groupMembers.every((set, g) => sameNumbers(set, b.groupMembers[g]!));

/** Whether there are the same users and groups, by number, whoever is in these. */
const sameUsersAndGroups = (a: View, b: View): boolean =>
  a.memberCount === b.memberCount &&
  sameJson(a.org.users, b.org.users) &&
  a.org.groups.length === b.org.groups.length &&
  a.org.groups.every((g, n) => g.id === b.org.groups[n]!.id) &&
  sameJson(a.settings, b.settings);

/**
 * The spaces that are alike. Both views are of columns that one builder made, so that a row that has the same number is the
 * same grant or link, or the same item. Undefined where people or groups are others, which can make a difference anywhere.
 */
export const alikeSpaces = (before: View, after: View): Alike | undefined =>
  samePeople(before, after) ? spacesAlike(before, after) : undefined;

/**
 * The same, where outsiders may have come and gone: they have other numbers then, and what is on a space that is alike is for
 * the same people by name.
 */
export const alikeByName = (before: View, after: View): Alike | undefined =>
  samePeopleByName(before, after) ? spacesAlike(before, after) : undefined;

function samePeopleByName(a: View, b: View): boolean {
  const standing = new Map(a.domainNames.map((name, n) => [name, a.domainStanding[n]]));
  return (
    sameUsersAndGroups(a, b) &&
    b.domainNames.every((name, n) => (standing.get(name) ?? b.domainStanding[n]) === b.domainStanding[n]) &&
    a.groupMembers.every((set, g) => sameByName(a, set, b, b.groupMembers[g]!))
  );
}

/** Whether two sets are of the same people: users have the same numbers in both, outsiders the same addresses. */
function sameByName(a: View, x: Int32Array, b: View, y: Int32Array): boolean {
  const whole = a.org.users.length >>> 5;
  if (!sameNumbers(x.subarray(0, whole), y.subarray(0, whole))) return false;
  const rest = (v: View, set: Int32Array): string[] => {
    const names: string[] = [];
    for (let w = whole; w < set.length; w++)
      for (let bits = set[w]!, i = w * 32; bits; bits >>>= 1, i++)
        if (bits & 1) names.push(identityName(v, i));
    return names.sort();
  };
  return sameTexts(rest(a, x), rest(b, y));
}

function spacesAlike(before: View, after: View): Alike {
  const [a, b] = [before.org, after.org];
  const same = new Int32Array(b.spaces.length);
  for (let s = 0; s < same.length; s++) {
    const was = a.find('space', b.spaces[s]!.id);
    same[s] = was >= 0 && sameSpace(before, was, after, s) ? was : -1;
  }
  return same;
}

function sameSpace(before: View, was: number, after: View, s: number): boolean {
  const [a, b] = [before.org, after.org];
  const from = a.spaceFirst[was]!;
  const to = b.spaceFirst[s]!;
  const count = b.spaceFirst[s + 1]! - to;
  if (
    a.spaceFirst[was + 1]! - from !== count ||
    a.spaceListed[was] !== b.spaceListed[s] ||
    a.breakable[was] !== b.breakable[s] ||
    a.external[was] !== b.external[s] ||
    !sameJson(a.spaces[was], b.spaces[s]) ||
    !sameNumbers(
      a.gates.values.subarray(a.gates.start[was], a.gates.start[was + 1]),
      b.gates.values.subarray(b.gates.start[s], b.gates.start[s + 1]),
    ) ||
    !sameEntries(before, was, after, s)
  )
    return false;
  const moved = to - from;
  for (let i = from; i < from + count; i++) {
    const j = i + moved;
    if (
      a.itemRow[i] !== b.itemRow[j] ||
      a.itemEnd[i]! + moved !== b.itemEnd[j] ||
      a.itemParent[i]! + (a.itemParent[i]! < 0 ? 0 : moved) !== b.itemParent[j] ||
      a.itemOwner[i] !== b.itemOwner[j] ||
      a.itemBreaks[i] !== b.itemBreaks[j] ||
      !sameEntries(before, a.spaces.length + i, after, b.spaces.length + j)
    )
      return false;
  }
  return true;
}

function sameEntries(before: View, x: number, after: View, y: number): boolean {
  const [a, b] = [before.org.entries, after.org.entries];
  const from = a.first[x]!;
  const to = b.first[y]!;
  const count = b.first[y + 1]! - to;
  if (a.first[x + 1]! - from !== count) return false;
  for (let k = 0; k < count; k++)
    if (
      a.row[from + k] !== b.row[to + k] ||
      before.live[from + k] !== after.live[to + k] ||
      !sameRedeemers(before, from + k, after)
    )
      return false;
  return true;
}

/** Whether those who redeemed a link by the one moment are those who did by the other. */
function sameRedeemers(before: View, e: number, after: View): boolean {
  const { redeemedKind, redeemedAt } = before.org.entries;
  for (let i = redeemedKind.start[e]!; i < redeemedKind.start[e + 1]!; i++)
    if (redeemedAt[i]! <= before.moment !== redeemedAt[i]! <= after.moment) return false;
  return true;
}
