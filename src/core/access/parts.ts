/** What belongs to what among spaces: a team is also a site, a channel and a mailbox. Pure. */
import type { Organisation } from './organisation.ts';

export interface Parts {
  /** Of each space, the numbers of what belongs to it. */
  parts: number[][];
  /** The space to which each belongs; −1 where it belongs to none. */
  partOf: Int32Array;
}

/** A part belongs to one team, the first that names it, and a team is no part of itself. */
export function partsOf(org: Organisation): Parts {
  const parts: number[][] = org.spaces.map(() => []);
  const partOf = new Int32Array(org.spaces.length).fill(-1);
  org.spaces.forEach((row, s) => {
    for (const id of row.parts ?? []) {
      const p = org.find('space', id);
      if (p < 0 || p === s || !org.spaceListed[p] || partOf[p]! >= 0) continue;
      partOf[p] = s;
      parts[s]!.push(p);
    }
  });
  return { parts, partOf };
}

/** Where a part of a team belongs: a team and its site are one. Of parts in a circle, one of them. */
export function topSpace(partOf: Int32Array, space: number): number {
  let top = space;
  for (let n = 0; partOf[top]! >= 0 && n <= partOf.length; n++) top = partOf[top]!;
  return top;
}
