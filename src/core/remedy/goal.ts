/** Goals as stewards state them, resolved to who is to be kept from which items. */
import { add, bitsFor, has, union } from '../access/bits.ts';
import { groupsAbove } from '../access/groups.ts';
import { nodeOfItem, PRINCIPAL } from '../access/organisation.ts';
import { sources, who } from '../access/questions.ts';
import { LINK_NAMED, type ReachColumns } from '../access/reach.ts';
import { findIdentity, type View } from '../access/view.ts';
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
    return none;
  }
  const group = v.org.find('group', 'group' in keepOut ? keepOut.group : keepOut.beyond);
  if (group < 0) return undefined;
  if ('group' in keepOut) return { ...none, group };
  const inside = bitsFor(v.identityCount);
  union(inside, v.groupMembers[group]!);
  for (const i of items) if (v.org.itemOwner[i]! >= 0) add(inside, v.org.itemOwner[i]!);
  const who = bitsFor(v.identityCount);
  for (let i = 0; i < v.identityCount; i++) if (has(v.all, i) && !has(inside, i)) add(who, i);
  return { who, anybody: true, anyMember: true, domains: foreign, items };
}

/**
 * The items on which a goal does not hold, by asking of each who can do something with it; no network and
 * no cut has a part in it.
 */
export function openItems(v: View, columns: ReachColumns, goal: Goal): number[] {
  const byClass = new Map<number, boolean>();
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
  const open = (node: number): boolean => {
    const cls = columns.classes[columns.accessClass[node]!]!;
    if (goal.anybody && (cls.anyoneNow || cls.anyoneCould)) return true;
    if (goal.anyMember && cls.couldMembers > cls.members) return true;
    if (cls.wholeDomains.some((d) => goal.domains.has(d))) return true;
    if (goal.group !== undefined) return byGroup(node);
    return who(v, node, false).some((bits, i) => bits > 0 && has(goal.who, i));
  };
  return [...goal.items].filter((item) => {
    const node = nodeOfItem(v.org, item);
    const cls = columns.accessClass[node]!;
    let found = byClass.get(cls);
    if (found === undefined) byClass.set(cls, (found = open(node)));
    const owner = v.org.itemOwner[item]!;
    return found || (columns.ownerAdds[node] === 1 && owner >= 0 && has(goal.who, owner));
  });
}
