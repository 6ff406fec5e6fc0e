/**
 * Cross-tabulation of items by what they are and by how they are shared. What counts, and how things
 * that overlap are counted once: docs/exposure.md.
 */
import { countPeople } from './holders.ts';
import { counting, GrowInt32, listsBy, type Lists } from '../access/growable.ts';
import { HELD, parentNode } from '../access/organisation.ts';
import { isInertEntry } from '../access/questions.ts';
import { reachesPastBreaks, type ReachColumns } from '../access/reach.ts';
import type { View } from '../access/view.ts';

export const MEASURES = ['items', 'files', 'people', 'links', 'bytes', 'points'] as const;
export type Measure = (typeof MEASURES)[number];

/**
 * One way to cut: each item, or each share, has one of the values or some of them. A share is an entry
 * by its number, the visibility of space s as entries + s, or, last, nothing shared at all.
 */
export interface Dimension {
  of: 'item' | 'share';
  values: readonly string[];
  /** The value's index by item or share; absent where `many` is given. */
  one?: Int32Array;
  many?: Distinct;
}

/** Lists of values that items or shares have: each list once, and which of them each has. */
export interface Distinct {
  lists: Int32Array[];
  of: Int32Array;
}

/** Numbers lists, so that those with the same values have one number. */
export class DistinctLists {
  readonly lists: Int32Array[] = [];
  /** A way from number to number along a list's values: by step and value, the next step. */
  readonly #steps = new Map<number, number>();
  #known = 1;
  readonly #numbers: number[] = [];

  /** The number of the list with these values, each from 0 to 2²⁴ − 1; in any order, and a value as often as it likes. */
  of(values: ArrayLike<number>): number {
    const sorted = Int32Array.from(values).sort();
    let step = 0;
    let length = 0;
    for (const value of sorted) {
      if (length && sorted[length - 1] === value) continue;
      sorted[length++] = value;
      const key = step * 2 ** 24 + value;
      const next = this.#steps.get(key);
      if (next === undefined) this.#steps.set(key, (step = this.#known++));
      else step = next;
    }
    return (this.#numbers[step] ??= this.lists.push(sorted.slice(0, length)) - 1);
  }
}

/**
 * Which shares apply to the items of each access class. What applies to one applies to those that inherit from
 * it: each share is kept where it begins to apply. Classes have places, those that inherit from one right after it.
 */
export interface Shares {
  count: number;
  /** By class. */
  place: Int32Array;
  /** By place: that of the class it inherits from, −1 for none, and where those that inherit from it end. */
  above: Int32Array;
  end: Int32Array;
  /** The shares that begin at each place, and the places where each begins. */
  at: Lists;
  places: Lists;
}

export interface CrossInput {
  view: View;
  columns: ReachColumns;
  shares: Shares;
  /** By item. */
  isFile: Uint8Array;
  bytes: Float64Array;
  points: Float64Array;
}

/**
 * Values by cell. A cell's index is mixed radix over the dimensions, the first slowest, each with one
 * more place than it has values: the last is the total over that dimension.
 */
export interface CrossTab {
  sizes: number[];
  cells: Record<Measure, Float64Array>;
  /** The parts that items fall into, −1 for an item that is not counted; and 1 for each part that is in a cell. */
  bundleOfItem: Int32Array;
  bundlesIn(cell: number): Uint8Array;
}

/** What is counted by going from share to share: the bundles that each applies to, and what both add to a cell's index. */
export interface Spread {
  input: CrossInput;
  /** Whether a dimension is about shares. */
  ofShares: boolean;
  sizes: readonly number[];
  /** Bundles by the place of their class, and the combination of each. */
  bundles: Lists;
  comboOf: Int32Array;
  bundleOfItem: Int32Array;
  byItem: { adds: Int32Array[]; leaves: Int32Array[] };
  byShare: { of: Int32Array; adds: Int32Array[]; leaves: Int32Array[] };
  cells: CrossTab['cells'];
}

/** More cells than this are not a table any more. */
export const MOST_CELLS = 2_000_000;

/** The live shares that give something to somebody, by where they begin. */
export function sharesOf(v: View, columns: ReachColumns): Shares {
  const { org } = v;
  const { entries } = org;
  const E = entries.ids.length;
  const S = org.spaces.length;
  const count = E + S + 1;
  const C = columns.classes.length;
  const shares = new GrowInt32();
  const classes = new GrowInt32();
  const opened = new GrowInt32();
  const [isOpen, some] = [new Uint8Array(C), new Uint8Array(C)];
  const from = new Int32Array(C).fill(-1);
  const give = (cls: number, share: number): void => {
    some[cls] = 1;
    shares.push(share);
    classes.push(cls);
  };
  for (let s = 0; s < S; s++) {
    const { anyoneInert } = v.spaces[s]!;
    const own = (cls: number, node: number, fits: (e: number) => boolean = () => true): void => {
      for (let e = entries.first[node]!; e < entries.first[node + 1]!; e++)
        if (v.live[e] && !(anyoneInert && isInertEntry(v, e)) && fits(e)) give(cls, e);
    };
    const open = (node: number, fill: (cls: number) => void): void => {
      const cls = columns.accessClass[node]!;
      if (isOpen[cls]) return;
      isOpen[cls] = 1;
      opened.push(cls);
      fill(cls);
      // what nothing applies to is not shared, and hands on nothing
      if (some[cls]) return;
      shares.push(count - 1);
      classes.push(cls);
    };
    open(s, (cls) => {
      own(cls, s);
      if (org.spaces[s]!.visibility === 'organisation') give(cls, E + s);
    });
    for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
      const node = S + i;
      open(node, (cls) => {
        if (org.itemBreaks[i]! & HELD) return;
        if (org.itemBreaks[i]) own(cls, s, (e) => reachesPastBreaks(v, e));
        else {
          const above = columns.accessClass[parentNode(org, node)]!;
          if (some[above]) from[cls] = above;
          some[cls] = some[above]!;
        }
        own(cls, node);
      });
    }
  }
  const order = opened.done();
  const size = new Int32Array(C).fill(1);
  for (let k = order.length - 1; k >= 0; k--) if (from[order[k]!]! >= 0) size[from[order[k]!]!]! += size[order[k]!]!;
  const place = new Int32Array(C);
  const [above, end] = [new Int32Array(C).fill(-1), new Int32Array(C)];
  /** Where the next that inherits from a class is placed. */
  const next = new Int32Array(C);
  let free = 0;
  for (const cls of order) {
    const parent = from[cls]!;
    const at = parent < 0 ? free : next[parent]!;
    if (parent < 0) free += size[cls]!;
    else {
      next[parent]! += size[cls]!;
      above[at] = place[parent]!;
    }
    place[cls] = at;
    next[cls] = at + 1;
    end[at] = at + size[cls]!;
  }
  const shareColumn = shares.done();
  const placeColumn = classes.done().map((cls) => place[cls]!);
  return { count, place, above, end, at: listsBy(placeColumn, shareColumn, C), places: listsBy(shareColumn, placeColumn, count) };
} // prettier-ignore

const distinct = ({ values, one, many }: Dimension): Distinct =>
  many ?? { lists: values.map((_, x) => Int32Array.of(x)), of: one! };

/** What a combination of values adds to a cell's index: first with a value of each dimension, then with a total in one or more. */
interface Adds {
  all: Int32Array;
  leaves: number;
}

/** What a combination adds with one of the values of a further dimension, or its total. */
function withOneMore({ all: before, leaves }: Adds, values: Int32Array, stride: number, total: number): Adds {
  const all = new Int32Array(before.length * (values.length + 1));
  let n = 0;
  for (let x = 0; x < leaves; x++) for (const value of values) all[n++] = before[x]! + value * stride;
  const own = n;
  for (let x = 0; x < before.length; x++) {
    if (x >= leaves) for (const value of values) all[n++] = before[x]! + value * stride;
    all[n++] = before[x]! + total * stride;
  }
  return { all, leaves: own };
}

/**
 * Numbers the combinations of values that items, or shares, have in the dimensions about them. For
 * each combination, what it adds to a cell's index: once for each way of taking a value, or the total,
 * of each dimension. The index of a cell is what the item adds and what the share adds.
 */
function combine(
  dimensions: readonly Dimension[],
  of: Dimension['of'],
  count: number,
  strides: readonly number[],
  only?: Uint8Array,
) {
  const mine = dimensions.flatMap((d, k) =>
    d.of === of ? [{ ...distinct(d), stride: strides[k]!, total: d.values.length }] : [],
  );
  let now: Int32Array = new Int32Array(count);
  let adds: Adds[] = [{ all: Int32Array.of(0), leaves: 1 }];
  mine.forEach(({ of: own, lists, stride, total }, at) => {
    if (at === 0 && !only) {
      // the lists of the first one are numbered as it is
      now = own;
      adds = lists.map((list) => withOneMore(adds[0]!, list, stride, total));
      return;
    }
    const width = lists.length;
    const known = new Int32Array(adds.length * width).fill(-1);
    const next: Adds[] = [];
    const to = new Int32Array(count);
    for (let i = 0; i < count; i++) {
      if (only && !only[i]) continue;
      const key = now[i]! * width + own[i]!;
      if (known[key]! < 0) known[key] = next.push(withOneMore(adds[now[i]!]!, lists[own[i]!]!, stride, total)) - 1;
      to[i] = known[key]!;
    }
    now = to;
    adds = next;
  });
  return {
    of: now,
    adds: adds.map((a) => a.all),
    /** The same without the totals. */
    leaves: adds.map((a) => a.all.subarray(0, a.leaves)),
  };
} // prettier-ignore

/**
 * Counts items by up to three dimensions. An item counts in a cell where it has the cell's values, and
 * where one and the same share applying to it has those of the shares. In every total it counts once,
 * in however many cells it is. `only`: 1 for the items to count. Throws a RangeError where there would
 * be more cells than a table can hold, or more sets of people than fit in memory.
 */
export function crosstab(
  input: CrossInput,
  dimensions: readonly Dimension[],
  measures: readonly Measure[],
  only?: Uint8Array,
): CrossTab {
  const { view: v, columns, shares } = input;
  const { org } = v;
  const I = org.itemIds.length;
  const S = org.spaces.length;
  const sizes = dimensions.map((d) => d.values.length);
  const strides = sizes.map((_, k) => sizes.slice(k + 1).reduce((n, s) => n * (s + 1), 1));
  const cellCount = sizes.reduce((n, s) => n * (s + 1), 1);
  if (cellCount > MOST_CELLS)
    throw new RangeError(`That would be ${cellCount.toLocaleString('en')} cells. Leave a dimension out, or hold to less.`);
  const byItem = combine(dimensions, 'item', I, strides, only);
  const byShare = combine(dimensions, 'share', shares.count, strides);

  // items of one class with the same values are one bundle
  const wide = byItem.adds.length;
  const C = columns.classes.length;
  const bundleOfItem = new Int32Array(I).fill(-1);
  const bundlePlace = new GrowInt32();
  const bundleCombo = new GrowInt32();
  const dense = C * wide <= 64_000_000 ? new Int32Array(C * wide) : undefined;
  const sparse = new Map<number, number>();
  for (let i = 0; i < I; i++) {
    if (only && !only[i]) continue;
    const at = shares.place[columns.accessClass[S + i]!]!;
    const combo = byItem.of[i]!;
    const key = at * wide + combo;
    let b = (dense ? dense[key]! : (sparse.get(key) ?? 0)) - 1;
    if (b < 0) {
      b = bundlePlace.length;
      bundlePlace.push(at);
      bundleCombo.push(combo);
      if (dense) dense[key] = b + 1;
      else sparse.set(key, b + 1);
    }
    bundleOfItem[i] = b;
  }
  const B = bundlePlace.length;
  const comboOf = bundleCombo.done();
  const bundles = listsBy(bundlePlace.done(), counting(B), C);
  const cells = Object.fromEntries(
    MEASURES.map((m) => [m, new Float64Array(measures.includes(m) ? cellCount : 0)]),
  ) as CrossTab['cells'];
  const summed = (['items', 'files', 'bytes', 'points'] as const).filter((m) => measures.includes(m));
  const { isFile, bytes, points } = input;
  const sums = summed.map((m) => {
    const of = new Float64Array(B);
    const add = (many: (i: number) => number): void => {
      for (let i = 0; i < I; i++) if (bundleOfItem[i]! >= 0) of[bundleOfItem[i]!]! += many(i);
    };
    if (m === 'items') add(() => 1);
    else if (m === 'points') add((i) => points[i]!);
    else if (m === 'files') add((i) => isFile[i]!);
    else add((i) => (isFile[i] ? bytes[i]! : 0));
    return of;
  });
  const ofShares = dimensions.some((d) => d.of === 'share');
  const spread: Spread = { input, ofShares, sizes, bundles, comboOf, bundleOfItem, byItem, byShare, cells };
  if (summed.length) addUp(spread, summed.map((m, k) => ({ into: cells[m], of: sums[k]! })));
  if (measures.includes('links')) countLinks(spread);
  if (measures.includes('people')) countPeople(spread);
  return {
    sizes,
    cells,
    bundleOfItem,
    bundlesIn(cell) {
      const part = (of: Dimension['of']): number =>
        strides.reduce((sum, stride, k) => sum + (dimensions[k]!.of === of ? (Math.floor(cell / stride) % (sizes[k]! + 1)) * stride : 0), 0);
      const [itemPart, sharePart] = [part('item'), part('share')];
      const isIn = byShare.adds.map((adds) => adds.includes(sharePart));
      const comboIn = byItem.adds.map((adds) => adds.includes(itemPart));
      const open = new Uint8Array(C);
      const found = new Uint8Array(B);
      for (let p = 0; p < C; p++) {
        open[p] = open[shares.above[p]!] ?? 0;
        for (let k = shares.at.start[p]!; !open[p] && k < shares.at.start[p + 1]!; k++)
          if (isIn[byShare.of[shares.at.values[k]!]!]) open[p] = 1;
        if (!open[p]) continue;
        for (let k = bundles.start[p]!; k < bundles.start[p + 1]!; k++)
          if (comboIn[comboOf[bundles.values[k]!]!]) found[bundles.values[k]!] = 1;
      }
      return found;
    },
  };
} // prettier-ignore

/**
 * Adds what bundles come to into cells, each once in a cell. What a share adds to the cells of the place where
 * it begins it adds to all that inherits from there, so this is done once, unless it was already above.
 */
function addUp({ input, ofShares, bundles, comboOf, byItem, byShare }: Spread, sums: { into: Float64Array; of: Float64Array }[]): void {
  const { above, end, at } = input.shares;
  const cells = sums[0]!.into.length;
  /** What the bundles that are given come to, by what they add to a cell's index. */
  const through = sums.map(() => new Float64Array(cells));
  const [isTouched, touched] = [new Uint8Array(cells), new Int32Array(cells)];
  /** Adds the bundles of places from one up to another, under sums of shares. */
  const give = (from: number, to: number, more: Int32Array, first: number, last: number): void => {
    let n = 0;
    for (let k = bundles.start[from]!; k < bundles.start[to]!; k++) {
      const b = bundles.values[k]!;
      const itemAdds = byItem.adds[comboOf[b]!]!;
      for (let x = 0; x < itemAdds.length; x++) {
        const add = itemAdds[x]!;
        if (!isTouched[add]) {
          isTouched[add] = 1;
          touched[n++] = add;
        }
        for (let m = 0; m < sums.length; m++) through[m]![add]! += sums[m]!.of[b]!;
      }
    }
    for (let m = 0; m < sums.length; m++) {
      const [into, sum] = [sums[m]!.into, through[m]!];
      for (let y = first; y < last; y++) for (let k = 0; k < n; k++) into[touched[k]! + more[y]!]! += sum[touched[k]!]!;
      for (let k = 0; k < n; k++) sum[touched[k]!] = 0;
    }
    for (let k = 0; k < n; k++) isTouched[touched[k]!] = 0;
  };
  if (!ofShares) return give(0, end.length, Int32Array.of(0), 0, 1);
  // along the way from place to place: what was added above, and where each of these began to add
  const [isAdded, isCombo] = [new Uint8Array(cells), new Uint8Array(byShare.adds.length)];
  const [added, combos] = [new Int32Array(cells), new Int32Array(byShare.adds.length)];
  const [addedFrom, combosFrom] = [new Int32Array(end.length), new Int32Array(end.length)];
  let [adds, seen, open] = [0, 0, -1];
  for (let p = 0; p < end.length; p++) {
    for (; open >= 0 && open !== above[p]!; open = above[open]!) {
      while (adds > addedFrom[open]!) isAdded[added[--adds]!] = 0;
      while (seen > combosFrom[open]!) isCombo[combos[--seen]!] = 0;
    }
    open = p;
    addedFrom[p] = adds;
    combosFrom[p] = seen;
    if (bundles.start[p] === bundles.start[end[p]!]) continue;
    for (let k = at.start[p]!; k < at.start[p + 1]!; k++) {
      const combo = byShare.of[at.values[k]!]!;
      if (isCombo[combo]) continue;
      isCombo[combo] = 1;
      combos[seen++] = combo;
      const more = byShare.adds[combo]!;
      for (let x = 0; x < more.length; x++) {
        const add = more[x]!;
        if (isAdded[add]) continue;
        isAdded[add] = 1;
        added[adds++] = add;
      }
    }
    if (adds > addedFrom[p]!) give(p, end[p]!, added, addedFrom[p]!, adds);
  }
} // prettier-ignore

/** More counts than this are kept by those there are. */
const MOST_COUNTS = 4_000_000;

/** Links, each once in a cell, totals included: those with the same items behind them, and the same values, at once. */
function countLinks({ input, bundles, comboOf, byItem, byShare, cells }: Spread): void {
  const { type, ids } = input.view.org.entries;
  const { end, places } = input.shares;
  const sets = new DistinctLists();
  /** The combinations of the bundles of a place, and of those that inherit from it. */
  const behind = (p: number): Int32Array => bundles.values.subarray(bundles.start[p], bundles.start[end[p]!]).map((b) => comboOf[b]!);
  const setOf = new Int32Array(end.length).fill(-1);
  const setOfLink = new Int32Array(ids.length).fill(-1);
  for (let share = 0; share < ids.length; share++) {
    const [from, to] = [places.start[share]!, places.start[share + 1]!];
    if (!type[share] || from === to) continue;
    const p = places.values[from]!;
    if (to - from > 1) setOfLink[share] = sets.of([...places.values.subarray(from, to)].flatMap((q) => [...behind(q)]));
    else setOfLink[share] = setOf[p]! < 0 ? (setOf[p] = sets.of(behind(p))) : setOf[p]!;
  }
  const width = byShare.adds.length;
  const dense = sets.lists.length * width <= MOST_COUNTS ? new Int32Array(sets.lists.length * width) : undefined;
  const sparse = new Map<number, number>();
  for (let share = 0; share < ids.length; share++) {
    if (setOfLink[share]! < 0) continue;
    const key = setOfLink[share]! * width + byShare.of[share]!;
    if (dense) dense[key]!++;
    else sparse.set(key, (sparse.get(key) ?? 0) + 1);
  }
  const addsOf = sets.lists.map((combos) => Int32Array.from(new Set([...combos].flatMap((c) => [...byItem.adds[c]!]))));
  for (const [key, count] of dense?.entries() ?? sparse)
    if (count)
      for (const itemAdd of addsOf[Math.floor(key / width)]!)
        for (const shareAdd of byShare.adds[key % width]!) cells.links[itemAdd + shareAdd]! += count;
} // prettier-ignore

/** The items of a cell, given by the indices of its values; undefined for the total of a dimension. */
export function itemsOfCell(tab: CrossTab, at: readonly (number | undefined)[]): number[] {
  const wanted = at.reduce<number>((c, x, k) => c * (tab.sizes[k]! + 1) + (x ?? tab.sizes[k]!), 0);
  const isIn = tab.bundlesIn(wanted);
  const items: number[] = [];
  tab.bundleOfItem.forEach((b, i) => {
    if (b >= 0 && isIn[b]) items.push(i);
  });
  return items;
}
