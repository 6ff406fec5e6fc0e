/** Which grants and links to withdraw so that nobody outside reaches an item. */
import { anyBoth, bitsFor } from '../access/bits.ts';
import { PRINCIPAL } from '../access/organisation.ts';
import { forEachRedeemer } from '../access/reach.ts';
import { sources, spaceOf } from '../access/questions.ts';
import { addPrincipal, type View } from '../access/view.ts';

export interface OutsideAccess {
  /** Entries that give something to identities outside, or to anybody, and to no member now. */
  outsideOnly: number[];
  /** Entries that let outsiders in together with members: withdrawing them would hurt members. */
  mixed: number[];
}

/** The entries by which anybody outside reaches a node now, or could. */
export function outsideAccess(v: View, node: number): OutsideAccess {
  const { entries } = v.org;
  const rules = v.spaces[spaceOf(v, node)]!;
  const result: OutsideAccess = { outsideOnly: [], mixed: [] };
  for (const { entry } of sources(v, node)) {
    if (typeof entry !== 'number') continue;
    const holders = bitsFor(v.identityCount);
    const type = entries.type[entry]!;
    let outside = false;
    if (type > 1) {
      forEachRedeemer(v, entry, (i) => (holders[i >>> 5]! |= 1 << (i & 31)));
      outside = type === 3 && !rules.anyoneInert;
    } else
      for (let i = entries.toKind.start[entry]!; i < entries.toKind.start[entry + 1]!; i++) {
        const kind = entries.toKind.values[i]!;
        const number = entries.toNumber.values[i]!;
        if (kind === PRINCIPAL.anyone) outside ||= !rules.anyoneInert;
        else {
          if (kind === PRINCIPAL.domain) outside ||= v.domainStanding[number]! > 0 && rules.wholeDomainsCount;
          addPrincipal(v, holders, kind, number);
        }
      }
    for (let w = 0; w < holders.length; w++) holders[w]! &= rules.allowed[w]!;
    if (!outside && !anyBoth(holders, v.externals)) continue;
    (anyBoth(holders, v.members) ? result.mixed : result.outsideOnly).push(entry);
  }
  return result;
}
