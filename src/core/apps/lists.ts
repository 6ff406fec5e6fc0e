/**
 * Who is let in where, as lists to go through again and again: items that have their access in common are of one class. What
 * somebody has as the owner is not in them. Pure.
 */
import { countBoth, has, type Bits } from '../access/bits.ts';
import { GrowInt32, type Lists } from '../access/growable.ts';
import { PRINCIPAL } from '../access/organisation.ts';
import {
  forEachRedeemer,
  LINK_NAMED,
  LINK_ORGANISATION,
  reachesPastBreaks,
  walkSpace,
} from '../access/reach.ts';
import { soleIdentity, type View } from '../access/view.ts';

/** Those whom a principal of many stands for, as far as a space lets them in. */
interface Many {
  kind: number;
  number: number;
  allowed: Bits;
}

export interface AccessLists {
  /** By number of the item its class. */
  classOf: Int32Array;
  /** The classes of space s: from `first[s]` on, and below `first[s + 1]`. */
  first: Int32Array;
  /** The class whose access is a class’s too, which comes before it; −1 where there is none. */
  above: Int32Array;
  /** By class whom it lets in besides: an identity by number, or `~n`: those of `many[n]`. */
  letIn: Lists;
  many: Many[];
  /** Groups that stand for the same people, the smaller ones first. */
  groupsBySize: { set: Bits; groups: number[] }[];
}

const PRINCIPALS = Object.keys(PRINCIPAL).length;
const made = new WeakMap<View, AccessLists>();

/** The lists of a view; made once. */
export function accessLists(v: View): AccessLists {
  let lists = made.get(v);
  if (!lists) made.set(v, (lists = make(v)));
  return lists;
}

function make(v: View): AccessLists {
  const { org } = v;
  const { entries } = org;
  const classOf = new Int32Array(org.itemIds.length);
  const first = new Int32Array(org.spaces.length + 1);
  const [above, start, letIn] = [new GrowInt32(), new GrowInt32(), new GrowInt32()];
  const many: Many[] = [];
  /** By whom a space lets in, and by what is granted something there. */
  const numbers = new Map<Bits, Map<number, number>>();
  const fresh = (from = -1): number => {
    start.push(letIn.length);
    return above.push(from);
  };
  for (let s = 0; s < org.spaces.length; s++) {
    const { allowed, shutsOut, anyoneInert } = v.spaces[s]!;
    const known = numbers.get(allowed) ?? new Map<number, number>();
    numbers.set(allowed, known);
    const addMany = (kind: number, number: number): void => {
      const at = number * PRINCIPALS + kind;
      let n = known.get(at);
      if (n === undefined) known.set(at, (n = many.push({ kind, number, allowed }) - 1));
      letIn.push(~n);
    };
    const addAllowed = (identity: number): void => {
      if (identity >= 0 && (!shutsOut || has(allowed, identity))) letIn.push(identity);
    };
    const addNode = (to: number, node: number, takes = (e: number): boolean => v.live[e] === 1): number => {
      for (let e = entries.first[node]!; e < entries.first[node + 1]!; e++) {
        if (!takes(e)) continue;
        const type = entries.type[e]!;
        if (type > LINK_NAMED) {
          if (type === LINK_ORGANISATION || !anyoneInert) forEachRedeemer(v, e, addAllowed);
          continue;
        }
        const last = entries.toKind.start[e + 1]!;
        for (let i = entries.toKind.start[e]!; i < last; i++) {
          const kind = entries.toKind.values[i]!;
          const number = entries.toNumber.values[i]!;
          if (kind === PRINCIPAL.user || kind === PRINCIPAL.address)
            addAllowed(soleIdentity(v, kind, number));
          else if (kind !== PRINCIPAL.anyone || !anyoneInert) addMany(kind, number);
        }
      }
      return to;
    };
    const top = addNode(fresh(), s);
    if (org.spaces[s]!.visibility === 'organisation') addMany(PRINCIPAL.everyone, 0);
    walkSpace<number>(v, s, undefined, {
      top,
      pastBreak: () => addNode(fresh(), s, (e) => reachesPastBreaks(v, e)),
      nobody: fresh,
      with: (over, node) => addNode(fresh(over), node),
      at: (item, of) => (classOf[item] = of),
      done: () => undefined,
    });
    first[s + 1] = above.length;
  }
  start.push(letIn.length);
  return {
    classOf,
    first,
    above: above.done(),
    letIn: { start: start.done(), values: letIn.done() },
    many,
    groupsBySize: bySize(v),
  };
}

function bySize({ groupMembers }: View): AccessLists['groupsBySize'] {
  const alike = new Map<Bits, number[]>();
  groupMembers.forEach((set, g) => {
    const same = alike.get(set);
    if (same) same.push(g);
    else alike.set(set, [g]);
  });
  return [...alike]
    .map(([set, groups]) => ({ set, groups, size: countBoth(set, set) }))
    .sort((a, b) => a.size - b.size);
}

/** What is counted: items, and files by weight. */
export const WIDTH = 6;
const counted = new WeakMap<AccessLists, WeakMap<Uint8Array, Int32Array>>();

/** By class how many items there are of it, and files of each weight; counted once for the same weights. */
export function countsOf(
  lists: AccessLists,
  { isFile, weights }: { isFile: Uint8Array; weights: Uint8Array },
): Int32Array {
  const known = counted.get(lists) ?? new WeakMap<Uint8Array, Int32Array>();
  counted.set(lists, known);
  let counts = known.get(weights);
  if (!counts) {
    known.set(weights, (counts = new Int32Array(lists.above.length * WIDTH)));
    lists.classOf.forEach((c, i) => {
      counts![c * WIDTH]!++;
      if (isFile[i]) counts![c * WIDTH + 1 + weights[i]!]!++;
    });
  }
  return counts;
}
