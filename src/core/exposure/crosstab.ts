/**
 * Cross-tabulation of items by what they are and by how they are shared. What counts, and how things
 * that overlap are counted once: docs/exposure.md.
 */
import { roomFor } from './cells.ts';
import { countPeople } from './holders.ts';
import {
  MEASURES,
  type Combinations,
  type CrossInput,
  type CrossTab,
  type Measure,
  type Shares,
  type Spread,
} from './tab.ts';
import { counting, GrowInt32, listsBy } from '../access/growable.ts';
import { HELD, parentNode } from '../access/organisation.ts';
import { isInertEntry } from '../access/questions.ts';
import { reachesPastBreaks, type ReachColumns } from '../access/reach.ts';
import type { View } from '../access/view.ts';

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
  for (let k = order.length - 1; k >= 0; k--)
    if (from[order[k]!]! >= 0) size[from[order[k]!]!]! += size[order[k]!]!;
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
  return {
    count,
    place,
    above,
    end,
    at: listsBy(placeColumn, shareColumn, C),
    places: listsBy(shareColumn, placeColumn, count),
  };
}

const distinct = ({ values, one, many }: Dimension): Distinct =>
  many ?? { lists: values.map((_, x) => Int32Array.of(x)), of: one! };

/** What a combination adds. */
const addsOf = ({ start, values }: Combinations, c: number): Int32Array =>
  values.subarray(start[c], start[c + 1]);

/** Each of some combinations with the values of a list of a further dimension, or its total. */
function withOneMore(
  before: Combinations,
  which: Int32Array,
  lists: readonly Int32Array[],
  list: Int32Array,
  stride: number,
  total: number,
): Combinations {
  const count = which.length;
  const [start, split] = [new Int32Array(count + 1), new Int32Array(count)];
  for (let c = 0; c < count; c++) {
    const [old, more] = [which[c]!, lists[list[c]!]!.length];
    split[c] = start[c]! + (before.split[old]! - before.start[old]!) * more;
    start[c + 1] = start[c]! + (before.start[old + 1]! - before.start[old]!) * (more + 1);
  }
  const values = new Int32Array(start[count]!);
  let n = 0;
  for (let c = 0; c < count; c++) {
    const [old, more] = [which[c]!, lists[list[c]!]!];
    const [from, leaves, to] = [before.start[old]!, before.split[old]!, before.start[old + 1]!];
    for (let x = from; x < leaves; x++)
      for (const value of more) values[n++] = before.values[x]! + value * stride;
    for (let x = from; x < to; x++) {
      if (x >= leaves) for (const value of more) values[n++] = before.values[x]! + value * stride;
      values[n++] = before.values[x]! + total * stride;
    }
  }
  return { start, split, values };
}

/** Combinations by number: `of` each item, or share, that of its own; and, dimension by dimension, what each adds to which before it. */
interface Numbering {
  of: Int32Array;
  steps: { which: Int32Array; list: Int32Array }[];
}

/** Numbers the combinations that `count` items, or shares, have of the values of dimensions. `only`: 1 for those to number. */
function numbering(dimensions: readonly Dimension[], count: number, only?: Uint8Array): Numbering {
  let of: Int32Array | undefined;
  let combinations = 1;
  const steps: Numbering['steps'] = [];
  for (const d of dimensions) {
    const { of: own, lists } = distinct(d);
    if (!of && !only) {
      // the lists of the first one are numbered as it is
      of = own;
      combinations = lists.length;
      steps.push({ which: new Int32Array(combinations), list: counting(combinations) });
      continue;
    }
    const known = new Int32Array(combinations * lists.length).fill(-1);
    const [which, list] = [new GrowInt32(), new GrowInt32()];
    const to = new Int32Array(count);
    for (let i = 0; i < count; i++) {
      if (only && !only[i]) continue;
      const before = of ? of[i]! : 0;
      const key = before * lists.length + own[i]!;
      if (known[key]! < 0) {
        known[key] = which.push(before);
        list.push(own[i]!);
      }
      to[i] = known[key]!;
    }
    of = to;
    combinations = which.length;
    steps.push({ which: which.done(), list: list.done() });
  }
  return { of: of ?? new Int32Array(count), steps };
}

/** Of shares the last are kept: there are millions, and many tables differ in what items are alone. */
const KEPT = 2;
const numberings = new WeakMap<Shares, { dimensions: readonly Dimension[]; numbers: Numbering }[]>();

function numberingOfShares(shares: Shares, dimensions: readonly Dimension[]): Numbering {
  const kept = numberings.get(shares) ?? [];
  const known = kept.find(
    (k) => k.dimensions.length === dimensions.length && k.dimensions.every((d, n) => d === dimensions[n]),
  );
  const first = known ?? { dimensions, numbers: numbering(dimensions, shares.count) };
  numberings.set(shares, [first, ...kept.filter((k) => k !== first)].slice(0, KEPT));
  return first.numbers;
}

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
  // what is added to one after the other lies close together where the dimension of most values is the slowest
  const order = counting(dimensions.length).sort(
    (a, b) => dimensions[b]!.values.length - dimensions[a]!.values.length || a - b,
  );
  const tab = inOrder(
    input,
    [...order].map((k) => dimensions[k]!),
    measures,
    only,
  );
  if (order.every((k, n) => k === n)) return tab;
  const sizes = dimensions.map((d) => d.values.length);
  const strides: number[] = [];
  let count = 1;
  for (const k of order.toReversed()) {
    strides[k] = count;
    count *= sizes[k]! + 1;
  }
  const cellOf = new Int32Array(count);
  for (let cell = 0; cell < count; cell++)
    for (let k = sizes.length - 1, rest = cell; k >= 0; rest = Math.floor(rest / (sizes[k]! + 1)), k--)
      cellOf[cell]! += (rest % (sizes[k]! + 1)) * strides[k]!;
  const cells = Object.fromEntries(
    MEASURES.map((m) => [
      m,
      tab.cells[m].length ? Float64Array.from(cellOf, (c) => tab.cells[m][c]!) : tab.cells[m],
    ]),
  ) as CrossTab['cells'];
  return { ...tab, sizes, cells, bundlesIn: (cell) => tab.bundlesIn(cellOf[cell]!) };
}

/** The same, with the dimensions as they come. */
function inOrder(
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
    throw new RangeError(
      `That would be ${cellCount.toLocaleString('en')} cells. Leave a dimension out, or hold to less.`,
    );
  const combine = (
    of: Dimension['of'],
    number: (mine: Dimension[]) => Numbering,
  ): Combinations & { of: Int32Array } => {
    const places = [...dimensions.keys()].filter((k) => dimensions[k]!.of === of);
    const numbers = number(places.map((k) => dimensions[k]!));
    let all: Combinations = { start: Int32Array.of(0, 1), split: Int32Array.of(1), values: Int32Array.of(0) };
    places.forEach((k, n) => {
      const { which, list } = numbers.steps[n]!;
      all = withOneMore(all, which, distinct(dimensions[k]!).lists, list, strides[k]!, sizes[k]!);
    });
    return { of: numbers.of, ...all };
  };
  // the index of a cell is what the item adds and what the share adds
  const byItem = combine('item', (mine) => numbering(mine, I, only));
  const byShare = combine('share', (mine) => numberingOfShares(shares, mine));

  // items of one class with the same values are one bundle
  const wide = byItem.split.length;
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
  if (summed.length)
    addUp(
      spread,
      summed.map((m, k) => ({ into: cells[m], of: sums[k]! })),
    );
  if (measures.includes('links')) countLinks(spread);
  if (measures.includes('people')) countPeople(spread);
  return {
    sizes,
    cells,
    bundleOfItem,
    bundlesIn(cell) {
      const part = (of: Dimension['of']): number =>
        strides.reduce(
          (sum, stride, k) =>
            sum + (dimensions[k]!.of === of ? (Math.floor(cell / stride) % (sizes[k]! + 1)) * stride : 0),
          0,
        );
      const [itemPart, sharePart] = [part('item'), part('share')];
      const having = (all: Combinations, add: number): Uint8Array =>
        Uint8Array.from(all.split, (_, c) => +addsOf(all, c).includes(add));
      const isIn = having(byShare, sharePart);
      const comboIn = having(byItem, itemPart);
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
}

/**
 * Adds what bundles come to into cells, each once in a cell. What a share adds to the cells of the place where
 * it begins it adds to all that inherits from there, so this is done once, unless it was already above.
 */
function addUp(
  { input, ofShares, bundles, comboOf, byItem, byShare }: Spread,
  sums: { into: Float64Array; of: Float64Array }[],
): void {
  const { above, end, at } = input.shares;
  const cells = sums[0]!.into.length;
  /** What the bundles that are given come to, by what they add to a cell's index. */
  const through = sums.map(() => new Float64Array(cells));
  const [isTouched, touched] = [new Uint8Array(cells), new Int32Array(cells)];
  /** Tells what the bundles of places from one up to another come to. */
  const give = (from: number, to: number, tell: (sum: number, add: number, all: number) => void): void => {
    let n = 0;
    for (let k = bundles.start[from]!; k < bundles.start[to]!; k++) {
      const b = bundles.values[k]!;
      for (let x = byItem.start[comboOf[b]!]!; x < byItem.start[comboOf[b]! + 1]!; x++) {
        const add = byItem.values[x]!;
        if (!isTouched[add]) {
          isTouched[add] = 1;
          touched[n++] = add;
        }
        for (let m = 0; m < sums.length; m++) through[m]![add]! += sums[m]!.of[b]!;
      }
    }
    for (let k = 0; k < n; k++) {
      const add = touched[k]!;
      isTouched[add] = 0;
      for (let m = 0; m < sums.length; m++) {
        tell(m, add, through[m]![add]!);
        through[m]![add] = 0;
      }
    }
  };
  if (!ofShares) return give(0, end.length, (m, add, all) => void (sums[m]!.into[add]! += all));
  const room = roomFor({
    values: byShare.values.length * 4,
    added: (cells + 1) * 4,
    there: cells,
    into: sums.length * cells * 8,
  });
  const { kernels } = room;
  room.ints('values').set(byShare.values);
  // along the way from place to place: what was added above, and where each of these began to add
  const isCombo = new Uint8Array(byShare.split.length);
  const combos = new Int32Array(byShare.split.length);
  const [addedFrom, combosFrom] = [new Int32Array(end.length), new Int32Array(end.length)];
  let [added, seen, open] = [room.at.added, 0, -1];
  for (let p = 0; p < end.length; p++) {
    for (; open >= 0 && open !== above[p]!; open = above[open]!) {
      if (added > addedFrom[open]!) kernels.forget(addedFrom[open]!, added, room.at.there);
      added = addedFrom[open]!;
      while (seen > combosFrom[open]!) isCombo[combos[--seen]!] = 0;
    }
    open = p;
    const from = (addedFrom[p] = added);
    combosFrom[p] = seen;
    if (bundles.start[p] === bundles.start[end[p]!]) continue;
    for (let k = at.start[p]!; k < at.start[p + 1]!; k++) {
      const combo = byShare.of[at.values[k]!]!;
      if (isCombo[combo]) continue;
      isCombo[combo] = 1;
      combos[seen++] = combo;
      const { values, there } = room.at;
      added = kernels.note(
        values + byShare.start[combo]! * 4,
        values + byShare.start[combo + 1]! * 4,
        added,
        there,
      );
    }
    if (added > from)
      give(p, end[p]!, (m, add, all) =>
        kernels.raise(from, added, room.at.into + (m * cells + add) * 8, all),
      );
  }
  sums.forEach(({ into }, m) => into.set(room.floats('into').subarray(m * cells, (m + 1) * cells)));
}

/** More counts than this are kept by those there are. */
const MOST_COUNTS = 4_000_000;

/** Links, each once in a cell, totals included: those with the same items behind them, and the same values, at once. */
function countLinks({ input, bundles, comboOf, byItem, byShare, cells }: Spread): void {
  const { type, ids } = input.view.org.entries;
  const { end, places } = input.shares;
  const sets = new DistinctLists();
  /** The combinations of the bundles of a place, and of those that inherit from it. */
  const behind = (p: number): Int32Array =>
    bundles.values.subarray(bundles.start[p], bundles.start[end[p]!]).map((b) => comboOf[b]!);
  const setOf = new Int32Array(end.length).fill(-1);
  const setOfLink = new Int32Array(ids.length).fill(-1);
  for (let share = 0; share < ids.length; share++) {
    const [from, to] = [places.start[share]!, places.start[share + 1]!];
    if (!type[share] || from === to) continue;
    const p = places.values[from]!;
    if (to - from > 1)
      setOfLink[share] = sets.of([...places.values.subarray(from, to)].flatMap((q) => [...behind(q)]));
    else setOfLink[share] = setOf[p]! < 0 ? (setOf[p] = sets.of(behind(p))) : setOf[p]!;
  }
  const width = byShare.split.length;
  const dense =
    sets.lists.length * width <= MOST_COUNTS ? new Int32Array(sets.lists.length * width) : undefined;
  const sparse = new Map<number, number>();
  for (let share = 0; share < ids.length; share++) {
    if (setOfLink[share]! < 0) continue;
    const key = setOfLink[share]! * width + byShare.of[share]!;
    if (dense) dense[key]!++;
    else sparse.set(key, (sparse.get(key) ?? 0) + 1);
  }
  const addsOfSet = sets.lists.map((combos) =>
    Int32Array.from(new Set([...combos].flatMap((c) => [...addsOf(byItem, c)]))),
  );
  for (const [key, count] of dense?.entries() ?? sparse)
    if (count)
      for (const itemAdd of addsOfSet[Math.floor(key / width)]!)
        for (const shareAdd of addsOf(byShare, key % width)) cells.links[itemAdd + shareAdd]! += count;
}

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
