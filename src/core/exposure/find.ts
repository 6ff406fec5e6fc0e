/** Which items are exposed, and through which grants and links. */
import { bitsIn, TIERS } from '../model.ts';
import { nodeOfItem } from '../access/organisation.ts';
import { reachOfSource, type ReachColumns } from '../access/reach.ts';
import { entryBits, isInert, sources, spaceOf, type Source } from '../access/questions.ts';
import type { View } from '../access/view.ts';
import { ALLOWED, exposurePoints, type ExposureSum } from './exposure.ts';

export interface ItemExposure extends ExposureSum {
  item: number;
  weight: number;
  now: number;
  could: number;
  /** What makes the reach too wide. */
  through: Source[];
}

/**
 * The sources that make a node's reach wider than `allowed`: those that do so each by itself, or,
 * where only their sum does, all of them; what a space makes void is none of them.
 */
export function tooWide(v: View, node: number, allowed: number): Source[] {
  const space = spaceOf(v, node);
  const given = sources(v, node).filter((s) => s.entry !== 'ownership' && !isInert(v, s, space));
  const alone = given.filter((s) => {
    const tiers = reachOfSource(v, s.entry as number | 'visibility', space);
    return Math.max(tiers.now, tiers.could) > allowed;
  });
  return alone.length ? alone : given;
}

/** Every exposed item, the costliest first. `weights`: by item, 0–4. `only`: the items to look at. */
export function findExposures(
  v: View,
  columns: ReachColumns,
  weights: Uint8Array,
  only?: readonly number[],
): ItemExposure[] {
  const found: ItemExposure[] = [];
  (only ?? [...weights.keys()]).forEach((item) => {
    const weight = weights[item]!;
    const node = nodeOfItem(v.org, item);
    const now = columns.nowTier[node]!;
    const could = columns.couldTier[node]!;
    const allowed = TIERS.indexOf(ALLOWED[weight]!);
    if (Math.max(now, could) <= allowed) return;
    const through = tooWide(v, node, allowed);
    const space = v.org.itemSpace[item]!;
    let bits = 0;
    let since: number | undefined;
    for (const { entry, at } of through) {
      if (entry === 'visibility')
        bits |= bitsIn(v.org.spaces[space]!, v.org.spaces[at]!.visibilityRole ?? 'reader');
      else if (entry !== 'ownership') {
        bits |= entryBits(v, entry, space);
        const made = v.org.entries.made[entry]!;
        if (!Number.isNaN(made)) since = Math.min(since ?? made, made);
      }
    }
    const sum = exposurePoints({ weight, now, could, bits, since, moment: v.moment });
    if (sum) found.push({ item, weight, now, could, through, ...sum });
  });
  return found.sort(
    (a, b) => b.points - a.points || (v.org.itemIds.at(a.item) < v.org.itemIds.at(b.item) ? -1 : 1),
  );
}
