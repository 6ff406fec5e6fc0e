/** What changes would do, as the lists that offer them tell it: who loses something, and which points go. */
import { has } from '../../core/access/bits.ts';
import type { Change } from '../../core/access/change.ts';
import { losersIn, whatIf } from '../../core/access/difference.ts';
import { findExposures } from '../../core/exposure/find.ts';
import type { Loaded } from './loaded.ts';

export interface Effect {
  /** Identities that lose something. */
  members: number[];
  external: number[];
  /** Points of each exposed item that is touched, before and after; 0 where it is exposed no more. */
  points: () => { before: number; after: number }[];
}

export function effectOf(l: Loaded, changes: readonly Change[]): Effect {
  const difference = whatIf(l.view, changes, l.columns);
  const losing = [...losersIn(difference)];
  return {
    members: losing.filter((i) => has(l.view.members, i)),
    external: losing.filter((i) => !has(l.view.members, i)),
    points: () => {
      const before = new Map(l.exposures.map((e) => [e.item, e.points]));
      const S = l.org.spaces.length;
      const touched = Array.from(difference.touched, (n) => n - S).filter((i) => before.has(i));
      const after = new Map(
        findExposures(difference.view, difference.after, l.weights, touched).map((e) => [e.item, e.points]),
      );
      return touched.map((i) => ({ before: before.get(i)!, after: after.get(i) ?? 0 }));
    },
  };
}
