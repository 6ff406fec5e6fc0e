/** How sure a match must be to count, and what marks on a sample say of it. */
import type { Level } from './types.ts';

/** The presets: a higher certainty asked for means fewer false alarms and more misses (docs/recognition.md). */
export const PRESETS = { wide: 30, balanced: 55, strict: 80 } as const;
export type Preset = keyof typeof PRESETS;

/** One match that a person called right or wrong, and how sure it was. */
export interface Mark {
  certainty: number;
  right: boolean;
}

export interface Suggestion {
  certainty: number;
  /** Share of the matches that would count which are right, and of the right ones which would count; 0–1, estimated from the marks. */
  precision: number;
  recall: number;
}

/** Fewer marks than this say too little. */
export const MARKS_NEEDED = 6;
const BANDS = [0, PRESETS.wide, PRESETS.balanced, PRESETS.strict, 101];

/** The band of a certainty: 0 below Wide, 1 from Wide, 2 from Balanced, 3 from Strict. */
export const bandOf = (certainty: number): number => BANDS.findIndex((_, b) => certainty < BANDS[b + 1]!);

/**
 * The certainty at which the fewest matches would be judged amiss: wrong ones counted, right ones left
 * out. A mark speaks for as many matches as its band (below Wide, Wide, Balanced, Strict) holds for
 * each mark made in it. Undefined with too few marks, or where all say the same.
 */
export function suggestThreshold(marks: readonly Mark[], levels: readonly Level[]): Suggestion | undefined {
  if (marks.length < MARKS_NEEDED || marks.every((m) => m.right === marks[0]!.right)) return undefined;
  const held = BANDS.map(() => 0);
  for (const [certainty, occurrences] of levels) held[bandOf(certainty)]! += occurrences;
  const marked = BANDS.map((_, b) => marks.filter((m) => bandOf(m.certainty) === b).length);
  const worth = (m: Mark): number => Math.max(1, held[bandOf(m.certainty)]!) / marked[bandOf(m.certainty)]!;
  let best: (Suggestion & { amiss: number }) | undefined;
  for (let certainty = 100; certainty >= 5; certainty -= 5) {
    let [counted, countedRight, right, amiss] = [0, 0, 0, 0];
    for (const m of marks) {
      const w = worth(m);
      const counts = m.certainty >= certainty;
      if (m.right) right += w;
      if (counts) counted += w;
      if (counts && m.right) countedRight += w;
      if (counts !== m.right) amiss += w;
    }
    // of two that are as good, the lower one misses less
    if (!best || amiss <= best.amiss)
      best = {
        certainty,
        precision: counted ? countedRight / counted : 1,
        recall: right ? countedRight / right : 1,
        amiss,
      };
  }
  const { certainty, precision, recall } = best!;
  return { certainty, precision, recall };
}
