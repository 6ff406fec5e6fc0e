/** What belongs to what among spaces: a team is also a site, a channel and a mailbox. Pure. */
import type { Organisation } from './organisation.ts';

export interface Parts {
  /** Of each space, the numbers of what belongs to it. */
  parts: number[][];
  /** The space to which each belongs; −1 where it belongs to none. */
  partOf: Int32Array;
}

/**
 * A part belongs to one team, of those that name it the one whose id comes first; a team is no part of itself, nor of what
 * belongs to it.
 */
export function partsOf({ spaces, ...org }: Organisation): Parts {
  const parts: number[][] = spaces.map(() => []);
  const partOf = new Int32Array(spaces.length).fill(-1);
  const naming = [...spaces.keys()].filter((s) => spaces[s]!.parts?.length);
  for (const s of naming.sort((x, y) => (spaces[x]!.id < spaces[y]!.id ? -1 : 1)))
    for (const id of spaces[s]!.parts!) {
      const p = org.find('space', id);
      if (p < 0 || !org.spaceListed[p] || partOf[p]! >= 0 || topSpace(partOf, s) === p) continue;
      partOf[p] = s;
      parts[s]!.push(p);
    }
  return { parts, partOf };
}

/** Where a part of a team belongs: a team and its site are one. */
export function topSpace(partOf: Int32Array, space: number): number {
  let top = space;
  while (partOf[top]! >= 0) top = partOf[top]!;
  return top;
}

/** A space with all that belongs to it, however deep. */
export const wholeOf = (parts: readonly (readonly number[])[], space: number): number[] => [
  space,
  ...parts[space]!.flatMap((p) => wholeOf(parts, p)),
];
