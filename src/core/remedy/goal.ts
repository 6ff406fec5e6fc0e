/** Goals as stewards state them, resolved to who is to be kept from which items. */
import { add, anyBoth, bitsFor, forEachBoth, has, type Bits } from '../access/bits.ts';
import { groupsAbove } from '../access/groups.ts';
import { nodeOfItem, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { someHolders, sources } from '../access/questions.ts';
import { LINK_NAMED, type ReachColumns } from '../access/reach.ts';
import { findIdentity, sharedAddresses, type View } from '../access/view.ts';
import type { Goal } from './candidate.ts';

/** Who is to be kept out. */
export type KeepOut =
  /** Every guest and outsider, whole domains, and whoever holds a link; partners may stay. */
  | { outside: true; partnersMay?: boolean | undefined }
  /** Whoever is not known: links and grants for anyone. */
  | { anybody: true }
  /** One member, guest or outsider, by id or address. */
  | { identity: string }
  /** Whoever comes by this group. */
  | { group: string }
  /** Everybody but the people of a group, and owners. */
  | { beyond: string };

/** Resolves a goal; undefined where it names nobody that is known. */
export function resolveGoal(v: View, keepOut: KeepOut, items: Int32Array): Goal | undefined {
  const foreign = new Set<number>();
  v.domainStanding.forEach((s, d) => {
    if (s > 0 && !('partnersMay' in keepOut && keepOut.partnersMay && s === 1)) foreign.add(d);
  });
  const nobody = bitsFor(v.identityCount);
  const none = { who: nobody, anybody: false, anyMember: false, domains: new Set<number>(), items };
  if ('outside' in keepOut)
    return {
      ...none,
      who: keepOut.partnersMay ? v.unexpected : v.externals,
      anybody: true,
      domains: foreign,
    };
  if ('anybody' in keepOut) return { ...none, anybody: true };
  if ('identity' in keepOut) {
    const identity = findIdentity(v, keepOut.identity);
    if (identity < 0) return undefined;
    add(nobody, identity);
    const accounts = sharedAddresses(v);
    for (const address of v.org.users[identity]?.addresses ?? [])
      for (const account of accounts.get(address) ?? []) add(nobody, account);
    return none;
  }
  const group = v.org.find('group', 'group' in keepOut ? keepOut.group : keepOut.beyond);
  if (group < 0) return undefined;
  if ('group' in keepOut) return { ...none, group };
  const who = bitsFor(v.identityCount);
  for (let i = 0; i < v.identityCount; i++) if (has(v.all, i) && !has(v.groupMembers[group]!, i)) add(who, i);
  // where every member is of the group, what is open to every member is open to nobody beyond it
  return {
    who,
    anybody: true,
    anyMember: anyBoth(v.members, who),
    domains: foreign,
    ownersKeep: true,
    items,
  };
}

/**
 * The items on which a goal does not hold, by asking of each who can do something with it; no network and
 * no cut has a part in it.
 */
export function openItems(v: View, columns: ReachColumns, goal: Goal): number[] {
  /** By access class: whether it is open to somebody without a name, or to which of those who are kept out, two at most. */
  const byClass = new Map<number, true | number[]>();
  const apart = new Set<Bits>();
  const above = goal.group === undefined ? new Set<number>() : groupsAbove(v.org, [goal.group]);
  const { entries } = v.org;
  /** Whether something that lets people in names the group, whoever is in it. */
  const byGroup = (node: number): boolean =>
    sources(v, node).some(({ entry }) => {
      if (typeof entry !== 'number' || entries.type[entry]! > LINK_NAMED) return false;
      for (let k = entries.toKind.start[entry]!; k < entries.toKind.start[entry + 1]!; k++)
        if (entries.toKind.values[k] === PRINCIPAL.group && above.has(entries.toNumber.values[k]!))
          return true;
      return false;
    });
  const open = (node: number): true | number[] => {
    const cls = columns.classes[columns.accessClass[node]!]!;
    if (goal.anybody && (cls.anyoneNow || cls.anyoneCould)) return true;
    if (cls.wholeDomains.some((d) => goal.domains.has(d))) return true;
    if (goal.group !== undefined) return byGroup(node) || [];
    const found = new Set<number>();
    // every member whom the space lets in could follow a link for the organisation
    const { allowed } = v.spaces[spaceOfNode(v.org, node)]!;
    if (goal.anyMember && cls.couldMembers > cls.members)
      forEachBoth(v.members, goal.who, (m) => {
        if (found.size < 2 && has(allowed, m)) found.add(m);
      });
    if (found.size < 2) someHolders(v, node, goal.who, apart, found, 2);
    return [...found];
  };
  return [...goal.items].filter((item) => {
    const node = nodeOfItem(v.org, item);
    // who could follow a link is also a matter of whom the space lets in
    const cls = columns.accessClass[node]!;
    const key = goal.anyMember ? cls * v.org.spaces.length + spaceOfNode(v.org, node) : cls;
    let found = byClass.get(key);
    if (found === undefined) byClass.set(key, (found = open(node)));
    if (found === true) return true;
    const owner = v.org.itemOwner[item]!;
    // of two at least one is not the owner
    if (goal.ownersKeep) return found.some((i) => i !== owner);
    return found.length > 0 || (columns.ownerAdds[node] === 1 && owner >= 0 && has(goal.who, owner));
  });
}
