/** Of several responses to the same things, those that are carried out. Pure. */
import { clash, type PlannedChange } from '../remedy/plan.ts';

/** One response to one thing, as the changes that it takes. */
export interface Proposal {
  /** Whatever tells it apart to whoever asks. */
  of: number;
  strictness: number;
  /** Place of its rule: of two as strict, the first decides. */
  place: number;
  changes: readonly PlannedChange[];
}

export const objectOf = (c: PlannedChange): string => `${c.kind} ${c.source} ${c.id}`;

/**
 * Proposals in the order in which they are decided: `taken`, or with `by` the one that is taken instead, or left for
 * later where more than `most` objects would be changed. All changes of a proposal are taken, or none.
 */
export function choose(
  proposals: readonly Proposal[],
  most: number,
): { proposal: Proposal; as: 'taken' | 'later' | { by: Proposal } }[] {
  const taken = new Map<string, { set: object | undefined; by: Proposal }[]>();
  const strictestFirst = [...proposals].sort(
    (a, b) => b.strictness - a.strictness || a.place - b.place || a.of - b.of,
  );
  return strictestFirst.map((proposal) => {
    const { changes } = proposal;
    for (const c of changes) {
      const winner = taken.get(objectOf(c))?.find((t) => clash(t.set, c.set));
      if (winner) return { proposal, as: { by: winner.by } };
    }
    const fresh = new Set(changes.map(objectOf).filter((o) => !taken.has(o)));
    if (taken.size + fresh.size > most) return { proposal, as: 'later' };
    for (const c of changes)
      taken.set(objectOf(c), [...(taken.get(objectOf(c)) ?? []), { set: c.set, by: proposal }]);
    return { proposal, as: 'taken' };
  });
}
