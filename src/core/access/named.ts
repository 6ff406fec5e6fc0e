/** Which grants and links in force name whom. */
import { GrowInt32, listsBy, type Lists } from './growable.ts';
import { PRINCIPAL } from './organisation.ts';
import type { View } from './view.ts';

/** Where what a principal stands for is in `namedBy`; −1 for one that names nobody in particular. */
export function numberOf(v: View, kind: number, n: number): number {
  const { identityCount } = v;
  if (n < 0) return -1;
  if (kind === PRINCIPAL.user) return n;
  if (kind === PRINCIPAL.group) return identityCount + n;
  if (kind === PRINCIPAL.domain) return identityCount + v.org.groups.length + n;
  return kind === PRINCIPAL.address ? v.identityOfAddress[n]! : -1;
}

/** Grants and links in force, and links that were redeemed, by what they name: identities, then groups, then whole domains. */
export function namedBy(v: View): Lists {
  const { entries, groups, domains } = v.org;
  const [owners, list] = [new GrowInt32(), new GrowInt32()];
  const count = v.identityCount + groups.length + domains.length;
  /** The entry that was last put to each. */
  const last = new Int32Array(count).fill(-1);
  const put = (e: number, kinds: Lists, numbers: Lists): void => {
    for (let i = kinds.start[e]!; i < kinds.start[e + 1]!; i++) {
      const owner = numberOf(v, kinds.values[i]!, numbers.values[i]!);
      if (owner < 0 || last[owner] === e) continue;
      last[owner] = e;
      owners.push(owner);
      list.push(e);
    }
  };
  for (let e = 0; e < entries.ids.length; e++) {
    if (!v.live[e]) continue;
    put(e, entries.toKind, entries.toNumber);
    put(e, entries.redeemedKind, entries.redeemedNumber);
  }
  return listsBy(owners.done(), list.done(), count);
}
