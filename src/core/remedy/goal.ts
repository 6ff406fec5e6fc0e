/** Goals as stewards state them, resolved to who is to be kept from which items. */
import { add, bitsFor, has, union } from '../access/bits.ts';
import { findIdentity, type View } from '../access/view.ts';
import type { Goal } from './cut.ts';

/** Who is to be kept out. */
export type KeepOut =
  /** Every guest and outsider, whole domains, and whoever holds a link; partners may stay. */
  | { outside: true; partnersMay?: boolean }
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
