/** What each setting of `holds(…)` costs: how many files of a survey it would be true of, at any certainty and number. */
import type { Part } from '../core/model.ts';
import { PRESETS } from '../core/recognise/threshold.ts';
import { atLeast, atLeastIn } from '../core/recognise/types.ts';
import { PACK } from '../core/filter/holds.ts';
import type { HoldingCosts } from '../dto/guard.ts';
import { finds } from './contents.ts';
import type { Loaded } from './loaded.ts';

/** At least so many values are told of. */
const NUMBERS = [1, 2, 3, 5, 10, 20];

/**
 * Files that hold a data type, or one of a pack, by certainty and by how many distinct values or occurrences there are at
 * least. `certainty`: a further one that is asked about. Undefined where there is no such type or pack.
 */
export function holdingCosts(
  l: Loaded,
  q: { what: string; certainty?: number | undefined; parts?: readonly Part[] | undefined },
): HoldingCosts | undefined {
  const types = q.what.startsWith(PACK)
    ? l.packs.byId.get(q.what.slice(PACK.length))
    : l.types.has(q.what) && [q.what];
  if (!types) return undefined;
  const wanted = new Set(types);
  const own = types.length === 1 ? l.types.get(types[0]!)?.from : undefined;
  const steps = [
    ...new Set([...Object.values(PRESETS), ...[own, q.certainty].filter((c) => c !== undefined)]),
  ];
  const rows = steps
    .sort((a, b) => a - b)
    .map((certainty) => ({
      certainty,
      distinct: NUMBERS.map(() => 0),
      occurrences: NUMBERS.map(() => 0),
    }));
  const { item, found } = finds(l);
  const most = rows.map(() => ({ distinct: 0, occurrences: 0 }));
  const count = (): void =>
    rows.forEach((row, r) => {
      const { distinct, occurrences } = most[r]!;
      NUMBERS.forEach((n, k) => {
        if (distinct >= n) row.distinct[k]!++;
        if (occurrences >= n) row.occurrences[k]!++;
      });
      most[r] = { distinct: 0, occurrences: 0 };
    });
  // what was found stands file by file; of several types one has to be enough by itself
  for (let k = 0; k < found.length; k++) {
    const f = found[k]!;
    if (wanted.has(f.dataType))
      rows.forEach(({ certainty }, r) => {
        const n = q.parts ? atLeastIn(f, certainty, q.parts) : atLeast(f.levels, certainty);
        most[r]!.distinct = Math.max(most[r]!.distinct, n.distinct);
        most[r]!.occurrences = Math.max(most[r]!.occurrences, n.occurrences);
      });
    if (item[k] === item[k + 1]) continue;
    count();
  }
  return { numbers: NUMBERS, rows, own: own ?? null };
}
