/**
 * How often a rule is right, by what people said of a sample of what it hits.
 *
 * The interval is Wilson's score interval (E. B. Wilson, Probable inference, the law of succession, and statistical inference,
 * Journal of the American Statistical Association 22, 1927, 209–212).
 */

/** The quantile of the normal distribution for an interval of 95 %. */
const Z = 1.959963984540054;
/** Fewer marks than this say too little of where to draw a line. */
export const FEWEST_MARKS = 6;

/** The score interval of a share in which `right` of `of` are; 0 ≤ low ≤ high ≤ 1. All of it where nothing is known. */
export function wilson(right: number, of: number): [low: number, high: number] {
  if (of <= 0) return [0, 1];
  const p = right / of;
  const middle = p + (Z * Z) / (2 * of);
  const half = Z * Math.sqrt((p * (1 - p)) / of + (Z * Z) / (4 * of * of));
  const whole = 1 + (Z * Z) / of;
  return [Math.max(0, (middle - half) / whole), Math.min(1, (middle + half) / whole)];
}

/** How many of each stratum are in a sample of so many: by their sizes, at least one of each, never more than there are. */
export function allocate(sizes: readonly number[], total: number): number[] {
  const all = sizes.reduce((a, b) => a + b, 0);
  if (all <= total) return [...sizes];
  const fair = sizes.map((s) => (s * total) / all);
  const out = fair.map((f, n) => Math.min(sizes[n]!, Math.max(1, Math.floor(f))));
  const byRest = [...sizes.keys()].sort((a, b) => (fair[b]! % 1) - (fair[a]! % 1) || a - b);
  for (let left = total - out.reduce((a, b) => a + b, 0); left > 0;) {
    const before = left;
    for (const n of byRest)
      if (left > 0 && out[n]! < sizes[n]!) {
        out[n]!++;
        left--;
      }
    if (left === before) break;
  }
  return out;
}

/** Where the ten points begin that a certainty is told among: 90 to 100 are one. */
export const tenFrom = (certainty: number): number => Math.min(90, certainty - (certainty % 10));

/** What somebody said of a hit. `certainty`: of the surest match that it rests on; null where it rests on none. */
export interface HitMark {
  stratum: string;
  certainty: number | null;
  right: boolean;
}
/** A share, estimated, with the interval in which it is. */
export interface Precision {
  share: number;
  low: number;
  high: number;
  marks: number;
}

/** Each mark with how many hits it speaks for: those of its stratum, shared among its marks. */
function weighted(
  marks: readonly HitMark[],
  sizes: Readonly<Record<string, number>>,
): (HitMark & { worth: number })[] {
  const marked = new Map<string, number>();
  for (const { stratum } of marks) marked.set(stratum, (marked.get(stratum) ?? 0) + 1);
  return marks.map((m) => ({
    ...m,
    worth: Math.max(1, (sizes[m.stratum] ?? 0) / marked.get(m.stratum)!),
  }));
}

function shareOf(marks: readonly (HitMark & { worth: number })[]): Precision {
  const all = marks.reduce((n, m) => n + m.worth, 0);
  const right = marks.reduce((n, m) => n + (m.right ? m.worth : 0), 0);
  const share = right / all;
  const [low, high] = wilson(share * marks.length, marks.length);
  return { share, low, high, marks: marks.length };
}

/** The share of hits that are right. `sizes`: hits by stratum. Undefined without a mark. */
export const precisionOf = (
  marks: readonly HitMark[],
  sizes: Readonly<Record<string, number>>,
): Precision | undefined => (marks.length ? shareOf(weighted(marks, sizes)) : undefined);

/** From which certainty a rule would be as good as is wanted. */
export interface Advice extends Precision {
  certainty: number;
  /** Hits that would be left, and right ones that it would miss, as estimated. */
  hits: number;
  missed: number;
}

/**
 * The lowest certainty from which at least the wanted share of hits is right. Undefined with too few marks, where hits rest
 * on no matches, or where no certainty is good enough.
 */
export function advise(
  marks: readonly HitMark[],
  sizes: Readonly<Record<string, number>>,
  wanted: number,
): Advice | undefined {
  const of = weighted(marks, sizes).flatMap((m) =>
    m.certainty === null ? [] : { ...m, certainty: m.certainty },
  );
  if (of.length < FEWEST_MARKS) return undefined;
  for (const certainty of [...new Set(of.map((m) => m.certainty))].sort((a, b) => a - b)) {
    const left = of.filter((m) => m.certainty >= certainty);
    const precision = shareOf(left);
    if (precision.share < wanted) continue;
    const missed = of.filter((m) => m.certainty < certainty && m.right);
    return {
      ...precision,
      certainty,
      hits: left.reduce((n, m) => n + m.worth, 0),
      missed: missed.reduce((n, m) => n + m.worth, 0),
    };
  }
  return undefined;
}
