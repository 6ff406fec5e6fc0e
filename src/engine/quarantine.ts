/** What is in quarantine, and how far it would be reached if it were released. */
import { alter, type Change } from '../core/access/change.ts';
import { HELD_ITSELF, nodeOfItem } from '../core/access/organisation.ts';
import { reach } from '../core/access/reach.ts';
import { TIERS } from '../core/model.ts';
import type { QuarantineRow } from '../dto/remedy.ts';
import { nameOfUser, nodeKey, nodeName, workspaceName } from './describe.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';

/** Everything in quarantine, and how far it would be reached if it were released. */
export function quarantined(l: Loaded): Omit<QuarantineRow, 'plan'>[] {
  const { org } = l;
  const items: number[] = [];
  org.itemBreaks.forEach((b, i) => {
    if (b & HELD_ITSELF && l.items.row(i).held) items.push(i);
  });
  const changes = items.map((i): Change => ({ item: org.itemIds.at(i), set: { held: null } }));
  const columns = reach(
    alter(l.view, changes).view,
    Int32Array.from(items, (i) => nodeOfItem(org, i)),
  );
  return items.map((i) => {
    const node = nodeOfItem(org, i);
    const row = l.items.row(i);
    let files = 0;
    let weight = 0;
    for (let k = i; k < org.itemEnd[i]!; k++) {
      if (l.items.isFile[k]) files++;
      weight = Math.max(weight, l.weights[k]!);
    }
    const { source, id } = unkey(org.itemIds.at(i));
    return {
      key: nodeKey(l, node),
      source,
      item: id,
      name: row.name,
      kind: row.kind,
      space: nodeName(l, org.itemSpace[i]!),
      workspace: workspaceName(l, org.itemSpace[i]!),
      weight,
      files,
      ...(row.owner && { owner: nameOfUser(l, row.owner) }),
      back: {
        now: TIERS[columns.nowTier[node]!]!,
        could: TIERS[columns.couldTier[node]!]!,
        people: columns.members[node]! + columns.guests[node]! + columns.outsiders[node]!,
      },
    };
  });
}
