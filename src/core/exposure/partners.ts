/** What follows where other domains are partners': tiers and exposures anew, nothing else is different. */
import { anyBoth, has } from '../access/bits.ts';
import { nodeOfItem } from '../access/organisation.ts';
import { tiersAgain, type ReachColumns } from '../access/reach.ts';
import { withPartners, type View } from '../access/view.ts';
import { findExposures, type ItemExposure } from './find.ts';

/** Reach and exposures with these partner domains; `exposures`: those of the view as it is. Cost: a pass over the items. */
export function judgedWith(
  v: View,
  columns: ReachColumns,
  weights: Uint8Array,
  exposures: readonly ItemExposure[],
  partnerDomains: string[],
): { columns: ReachColumns; exposures: ItemExposure[] } {
  const later = withPartners(v, partnerDomains);
  const reached = tiersAgain(later, columns);
  // only what somebody reaches who is judged otherwise can be exposed otherwise
  const other = v.unexpectedDomains.map((word, w) => word ^ later.unexpectedDomains[w]!);
  const isOther = columns.classes.map(
    ({ identityDomains, wholeDomains }) =>
      anyBoth(identityDomains, other) ||
      wholeDomains.some((d) => v.domainStanding[d] !== later.domainStanding[d]),
  );
  const touched = new Uint8Array(weights.length);
  for (let i = 0; i < touched.length; i++) {
    const node = nodeOfItem(v.org, i);
    const owner = columns.ownerAdds[node] ? v.org.itemOwner[i]! : -1;
    const ownedByOther = owner >= 0 && has(v.unexpected, owner) !== has(later.unexpected, owner);
    touched[i] = isOther[columns.accessClass[node]!] || ownedByOther ? 1 : 0;
  }
  const items = [...touched.keys()].filter((i) => touched[i]);
  return {
    columns: reached,
    exposures: [
      ...exposures.filter((e) => !touched[e.item]),
      ...findExposures(later, reached, weights, items),
    ],
  };
}
