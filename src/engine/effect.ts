/** What changes would do, as the lists that offer them tell it: who loses something, and which points go. */
import { has } from '../core/access/bits.ts';
import type { Change } from '../core/access/change.ts';
import { felt } from '../core/access/difference.ts';
import { reach } from '../core/access/reach.ts';
import { findExposures } from '../core/exposure/find.ts';
import type { Loaded } from './loaded.ts';

export interface Effect {
  /** Identities that lose something. */
  members: number[];
  external: number[];
  /** Points of each exposed item that is touched, before and after; 0 where it is exposed no more. */
  points: () => { before: number; after: number }[];
}

export function effectOf(l: Loaded, changes: readonly Change[]): Effect {
  const { view, touched, losers, after } = felt(l.view, changes, l.columns);
  return {
    members: losers.filter((i) => has(l.view.members, i)),
    external: losers.filter((i) => !has(l.view.members, i)),
    points: () => {
      const before = new Map(l.exposures.map((e) => [e.item, e.points]));
      const S = l.org.spaces.length;
      const items = Array.from(touched, (n) => n - S).filter((i) => before.has(i));
      const columns =
        after ??
        reach(
          view,
          Int32Array.from(items, (i) => S + i),
        );
      const left = new Map(findExposures(view, columns, l.weights, items).map((e) => [e.item, e.points]));
      return items.map((i) => ({ before: before.get(i)!, after: left.get(i) ?? 0 }));
    },
  };
}
