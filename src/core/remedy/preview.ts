/** What a preview foretells, and whether it still holds. */

import { sameJson } from '../equal.ts';
import { gainWords, NO_GAINS, type Gains } from './plan.ts';

/** As much of a preview as decides whether another says the same. */
export interface Foretold {
  survey: number;
  missing: readonly unknown[];
  people: readonly { id: string; loses: number; reduced: number }[];
  itemsChanged: number;
  /** Absent of plans of before. */
  gains?: Gains;
  pointsBefore: number;
  pointsAfter: number;
}

/** What two previews of the same changes say differently, in words. */
export function previewDiffers(a: Foretold, b: Foretold): string[] {
  const out: string[] = [];
  const gone = b.missing.length - a.missing.length;
  if (gone > 0) out.push(`${gone} of what it changes ${gone === 1 ? 'is' : 'are'} not there any more`);
  const of = (p: Foretold) => new Map(p.people.map((x) => [x.id, `${x.loses}/${x.reduced}`]));
  const [x, y] = [of(a), of(b)];
  const more = [...y.keys()].filter((id) => !x.has(id)).length;
  const fewer = [...x.keys()].filter((id) => !y.has(id)).length;
  const other = [...y].filter(([id, n]) => x.has(id) && x.get(id) !== n).length;
  if (more) out.push(`${more} more ${more === 1 ? 'person loses' : 'people lose'} access`);
  if (fewer) out.push(`${fewer} ${fewer === 1 ? 'person no longer loses' : 'people no longer lose'} access`);
  if (other) out.push(`${other} ${other === 1 ? 'person loses' : 'people lose'} different access`);
  if (a.itemsChanged !== b.itemsChanged)
    out.push(`the reach of ${b.itemsChanged} items changes, not of ${a.itemsChanged}`);
  const gains = b.gains ?? NO_GAINS;
  if (!sameJson(a.gains ?? NO_GAINS, gains))
    out.push(gainWords(gains) ?? 'it no longer gives anybody access');
  const [p, q] = [a.pointsBefore - a.pointsAfter, b.pointsBefore - b.pointsAfter];
  if (p !== q) out.push(`it closes ${q} points, not ${p}`);
  return out;
}

/**
 * Whether a plan's preview holds on the newest survey, given the preview made now. `wait`: this one was made on an
 * older survey than the newest, so it says nothing about it.
 */
export function stillHolds(
  then: Foretold,
  now: Foretold,
  newest: number,
): { state: 'holds' | 'wait' } | { state: 'differs'; differs: string[] } {
  if (now.survey < newest) return { state: 'wait' };
  if (now.survey === then.survey) return { state: 'holds' };
  const differs = previewDiffers(then, now);
  return differs.length ? { state: 'differs', differs } : { state: 'holds' };
}
