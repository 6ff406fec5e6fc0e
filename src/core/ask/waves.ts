/** How a round is spread: which space is asked about when, so that nobody is asked about more than is bearable. Pure. */

/** A space that is to be asked about. */
export interface ToAsk {
  /** Who can answer: numbers or keys of people. */
  people: readonly string[];
  /** How many things there are to answer. */
  n: number;
  /** How exposed it is: what has more is asked about earlier. */
  points: number;
}

/**
 * The week of each space, from 0: the most exposed first, a share of all each week, and nobody about more than `most` things
 * in one week, unless one space alone has more. Weeks beyond those that were wanted are added where that needs them.
 */
export function wavesOf(
  spaces: readonly ToAsk[],
  { most, weeks }: { most: number; weeks: number },
): number[] {
  const budget = Math.ceil(spaces.reduce((n, s) => n + s.n, 0) / weeks);
  const order = [...spaces.keys()].sort((a, b) => spaces[b]!.points - spaces[a]!.points || a - b);
  const all: number[] = [];
  const loads = new Map<string, number[]>();
  const weekOf = new Array<number>(spaces.length);
  /** The first week whose share is not full. */
  let first = 0;
  for (const s of order) {
    const { people, n } = spaces[s]!;
    while (weeks > 1 && first < weeks - 1 && (all[first] ?? 0) >= budget) first++;
    let week = first;
    while (
      people.some((p) => {
        const load = loads.get(p)?.[week] ?? 0;
        return load > 0 && load + n > most;
      })
    )
      week++;
    weekOf[s] = week;
    all[week] = (all[week] ?? 0) + n;
    for (const p of people) {
      const load = loads.get(p) ?? [];
      load[week] = (load[week] ?? 0) + n;
      loads.set(p, load);
    }
  }
  return weekOf;
}
