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
  readonly #numbers = new Map<string, number>();

  /** The number of the list with these values; in any order, and a value as often as it likes. */
  of(values: Iterable<number>): number {
    const list = Int32Array.from(new Set(values)).sort();
    const text = list.join();
    let n = this.#numbers.get(text);
    if (n === undefined) this.#numbers.set(text, (n = this.lists.push(list) - 1));
    return n;
  }
}

/** Which shares apply to the items of each access class, and the other way round. */
export interface Shares {
  count: number;
  ofClass: Lists;
  classes: Lists;
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
  /** Bundles by class, and the combination of each. */
  bundles: Lists;
  comboOf: Int32Array;
  bundleOfItem: Int32Array;
  byItem: { adds: Int32Array[]; leaves: Int32Array[] };
  byShare: { of: Int32Array; adds: Int32Array[]; leaves: Int32Array[] };
  cells: CrossTab['cells'];
}

/** More cells than this are not a table any more. */
export const MOST_CELLS = 2_000_000;

/** The live shares that give something to somebody, class by class. */
export function sharesOf(v: View, columns: ReachColumns): Shares {
  const { org } = v;
  const { entries } = org;
  const E = entries.ids.length;
  const S = org.spaces.length;
  const count = E + S + 1;
  const C = columns.classes.length;
  const values = new GrowInt32();
  const owners = new GrowInt32();
  /** Where each class's shares are among the values; −1 for one not seen yet. */
  const from = new Int32Array(C).fill(-1);
  const to = new Int32Array(C);
  const give = (cls: number, share: number): void => {
    values.push(share);
    owners.push(cls);
  };
  for (let s = 0; s < S; s++) {
    const { anyoneInert } = v.spaces[s]!;
    const own = (cls: number, node: number, fits: (e: number) => boolean = () => true): void => {
      for (let e = entries.first[node]!; e < entries.first[node + 1]!; e++)
        if (v.live[e] && !(anyoneInert && isInertEntry(v, e)) && fits(e)) give(cls, e);
    };
    const open = (node: number, fill: (cls: number) => void): void => {
      const cls = columns.accessClass[node]!;
      if (from[cls]! >= 0) return;
      from[cls] = values.length;
      fill(cls);
      to[cls] = values.length;
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
          for (let k = from[above]!; k < to[above]!; k++) give(cls, values.at(k));
        }
        own(cls, node);
      });
    }
  }
  for (let c = 0; c < C; c++) if (from[c]! === to[c]!) give(c, count - 1);
  const [classColumn, shareColumn] = [owners.done(), values.done()];
  return {
    count,
    ofClass: listsBy(classColumn, shareColumn, C),
    classes: listsBy(shareColumn, classColumn, count),
  };
}

const distinct = ({ values, one, many }: Dimension): Distinct =>
  many ?? { lists: values.map((_, x) => Int32Array.of(x)), of: one! };

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
    d.of === of ? [{ ...distinct(d), k, total: d.values.length }] : [],
  );
  let now: Int32Array = new Int32Array(count);
  let adds: number[][] = [[0]];
  mine.forEach(({ of: own, lists, k, total }, at) => {
    const more = (before: number[], list: Int32Array): number[] =>
      before.flatMap((x) => [
        ...Array.from(list, (value) => x + value * strides[k]!),
        x + total * strides[k]!,
      ]);
    if (at === 0 && !only) {
      // the lists of the first one are numbered as it is
      now = own;
      adds = lists.map((list) => more([0], list));
      return;
    }
    const width = lists.length;
    const known = new Int32Array(adds.length * width).fill(-1);
    const next: number[][] = [];
    const to = new Int32Array(count);
    for (let i = 0; i < count; i++) {
      if (only && !only[i]) continue;
      const key = now[i]! * width + own[i]!;
      if (known[key]! < 0) known[key] = next.push(more(adds[now[i]!]!, lists[own[i]!]!)) - 1;
      to[i] = known[key]!;
    }
    now = to;
    adds = next;
  });
  return {
    of: now,
    adds: adds.map((a) => Int32Array.from(a)),
    /** The same without the totals. */
    leaves: adds.map((a) =>
      Int32Array.from(
        a.filter((x) => mine.every((d) => Math.floor(x / strides[d.k]!) % (d.total + 1) < d.total)),
      ),
    ),
  };
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
  const bundleClass = new GrowInt32();
  const bundleCombo = new GrowInt32();
  const dense = C * wide <= 64_000_000 ? new Int32Array(C * wide) : undefined;
  const sparse = new Map<number, number>();
  for (let i = 0; i < I; i++) {
    if (only && !only[i]) continue;
    const cls = columns.accessClass[S + i]!;
    const combo = byItem.of[i]!;
    const key = cls * wide + combo;
    let b = (dense ? dense[key]! : (sparse.get(key) ?? 0)) - 1;
    if (b < 0) {
      b = bundleClass.length;
      bundleClass.push(cls);
      bundleCombo.push(combo);
      if (dense) dense[key] = b + 1;
      else sparse.set(key, b + 1);
    }
    bundleOfItem[i] = b;
  }
  const B = bundleClass.length;
  const comboOf = bundleCombo.done();
  const bundles = listsBy(bundleClass.done(), counting(B), C);
  const cells = Object.fromEntries(
    MEASURES.map((m) => [m, new Float64Array(measures.includes(m) ? cellCount : 0)]),
  ) as CrossTab['cells'];
  const summed = (['items', 'files', 'bytes', 'points'] as const).filter((m) => measures.includes(m));
  const sums = summed.map(() => new Float64Array(B));
  summed.forEach((m, k) => {
    const of = sums[k]!;
    for (let i = 0; i < I; i++) {
      const b = bundleOfItem[i]!;
      if (b < 0) continue;
      of[b]! += m === 'items' ? 1 : m === 'points' ? input.points[i]! : !input.isFile[i] ? 0 : m === 'files' ? 1 : input.bytes[i]!;
    }
  });
  const ofShares = dimensions.some((d) => d.of === 'share');
  /** What the shares of a class add, each sum once; a sum of the class looked at last has the newest stamp. */
  const stamp = new Int32Array(ofShares ? cellCount : 1);
  let turn = 0;
  const distinct = new Int32Array(ofShares ? cellCount : 1);
  const { start, values } = shares.ofClass;
  const sharesAdd = (cls: number): number => {
    turn++;
    if (!ofShares) {
      stamp[0] = turn;
      return 1;
    }
    let n = 0;
    for (let k = start[cls]!; k < start[cls + 1]!; k++) {
      const adds = byShare.adds[byShare.of[values[k]!]!]!;
      for (let j = 0; j < adds.length; j++) {
        const add = adds[j]!;
        if (stamp[add] === turn) continue;
        stamp[add] = turn;
        distinct[n++] = add;
      }
    }
    return n;
  };
  if (summed.length)
    for (let cls = 0; cls < C; cls++) {
      if (bundles.start[cls] === bundles.start[cls + 1]) continue;
      const n = sharesAdd(cls);
      for (let k = bundles.start[cls]!; k < bundles.start[cls + 1]!; k++) {
        const b = bundles.values[k]!;
        const adds = byItem.adds[comboOf[b]!]!;
        for (let m = 0; m < summed.length; m++) {
          const into = cells[summed[m]!];
          const sum = sums[m]![b]!;
          if (sum === 0) continue;
          for (let x = 0; x < adds.length; x++) for (let y = 0; y < n; y++) into[adds[x]! + distinct[y]!]! += sum;
        }
      }
    }
  const spread: Spread = { input, ofShares, sizes, bundles, comboOf, bundleOfItem, byItem, byShare, cells };
  if (measures.includes('links')) countLinks(spread);
  if (measures.includes('people')) countPeople(spread);
  return {
    sizes,
    cells,
    bundleOfItem,
    bundlesIn(cell) {
      const found = new Uint8Array(B);
      for (let cls = 0; cls < C; cls++) {
        if (bundles.start[cls] === bundles.start[cls + 1]) continue;
        sharesAdd(cls);
        for (let k = bundles.start[cls]!; k < bundles.start[cls + 1]!; k++) {
          const b = bundles.values[k]!;
          if (byItem.adds[comboOf[b]!]!.some((add) => stamp[cell - add] === turn)) found[b] = 1;
        }
      }
      return found;
    },
  };
} // prettier-ignore

/** Links, each once in a cell, totals included. */
function countLinks({ input, bundles, comboOf, byItem, byShare, cells }: Spread): void {
  const { type, ids } = input.view.org.entries;
  const { start, values } = input.shares.classes;
  const { links } = cells;
  const stamp = new Int32Array(byItem.adds.length).fill(-1);
  const cellStamp = new Int32Array(links.length).fill(-1);
  for (let share = 0; share < ids.length; share++) {
    if (!type[share]) continue;
    const shareAdds = byShare.adds[byShare.of[share]!]!;
    for (let k = start[share]!; k < start[share + 1]!; k++) {
      const cls = values[k]!;
      for (let b = bundles.start[cls]!; b < bundles.start[cls + 1]!; b++) {
        const combo = comboOf[bundles.values[b]!]!;
        if (stamp[combo] === share) continue;
        stamp[combo] = share;
        for (const itemAdd of byItem.adds[combo]!)
          for (const shareAdd of shareAdds) {
            const c = itemAdd + shareAdd;
            if (cellStamp[c] === share) continue;
            cellStamp[c] = share;
            links[c]!++;
          }
      }
    }
  }
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
