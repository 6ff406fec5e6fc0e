/** A cross-tabulation: what it is made of, and what comes of it. */
import type { Lists } from '../access/growable.ts';
import type { ReachColumns } from '../access/reach.ts';
import type { View } from '../access/view.ts';

export const MEASURES = ['items', 'files', 'people', 'links', 'bytes', 'points'] as const;
export type Measure = (typeof MEASURES)[number];

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
  byItem: Combinations;
  byShare: Combinations & { of: Int32Array };
  cells: CrossTab['cells'];
}

/**
 * Combinations of values, each with what it adds to a cell's index: `values[start[c] … start[c + 1])`, once for each
 * way of taking a value, or the total, of each dimension; up to `split[c]` with a value of each.
 */
export interface Combinations extends Lists {
  split: Int32Array;
}
