/**
 * The identities that hold something through what is in each cell of a cross-tabulation. Each identity
 * carries the cells it is in, not each cell its identities: a share's cells are then given to whom it
 * names in one step, and a group hands its own on to what it holds, once, however many cells they are.
 */
import { countBoth, forEachBoth, has, union, type Bits } from '../access/bits.ts';
import { listsBy } from '../access/growable.ts';
import { nodeOfItem, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { forEachRedeemer, LINK_NAMED } from '../access/reach.ts';
import { soleIdentity, type View } from '../access/view.ts';
import type { Spread } from './crosstab.ts';

/** Words of sets that are held at once. */
const MOST_WORDS = 64_000_000;

/** How groups hold groups. Those that hold each other are one component, and stand for the same people. */
interface Nesting {
  /** Groups, those that hold others first, the groups of one component next to each other. */
  order: Int32Array;
  component: Int32Array;
  components: number;
  /** How many people each group stands for. */
  size: Int32Array;
}
const nestings = new WeakMap<View, Nesting>();

function nestingOf(v: View): Nesting {
  let known = nestings.get(v);
  if (known) return known;
  const { start, values } = v.org.members;
  const count = v.org.groups.length;
  // groups of one component have one and the same set (closeGroups)
  const numbers = new Map<Bits, number>();
  const component = Int32Array.from(v.groupMembers, (set) => {
    if (!numbers.has(set)) numbers.set(set, numbers.size);
    return numbers.get(set)!;
  });
  const components = numbers.size;
  const groups = listsBy(component, Int32Array.from({ length: count }, (_, g) => g), components);
  /** Calls `visit` with the components that a component holds, as often as it does. */
  const inner = (c: number, visit: (other: number) => void): void => {
    for (const g of groups.values.subarray(groups.start[c], groups.start[c + 1]))
      for (const m of values.subarray(start[g], start[g + 1]))
        if (m < 0 && component[~m] !== c) visit(component[~m]!);
  };
  const above = new Int32Array(components);
  for (let c = 0; c < components; c++) inner(c, (other) => above[other]!++);
  const next: number[] = [];
  for (let c = 0; c < components; c++) if (!above[c]) next.push(c);
  for (const c of next) inner(c, (other) => --above[other]! || next.push(other));
  known = {
    order: Int32Array.from(next.flatMap((c) => [...groups.values.subarray(groups.start[c], groups.start[c + 1])])),
    component,
    components,
    size: Int32Array.from(v.groupMembers, (set) => countBoth(set, set)),
  };
  nestings.set(v, known);
  return known;
} // prettier-ignore

/** Numbers what combinations add to a cell's index, and says which numbers each combination has. */
function numbered(combinations: readonly Int32Array[]): { of: Int32Array[]; leaves: number[] } {
  const numbers = new Map<number, number>();
  const of = combinations.map((list) =>
    Int32Array.from(list, (leaf) => {
      if (!numbers.has(leaf)) numbers.set(leaf, numbers.size);
      return numbers.get(leaf)!;
    }),
  );
  return { of, leaves: [...numbers.keys()] };
}

/** Transposes 32 words of 32 bits in place: bit i of word k becomes bit k of word i (Warren, Hacker's Delight, 7-3). */
function turn(square: Int32Array): void {
  for (let j = 16, mask = 0xffff; j; j >>>= 1, mask ^= mask << j)
    for (let k = 0; k < 32; k = (k + j + 1) & ~j) {
      const t = ((square[k]! >>> j) ^ square[k + j]!) & mask;
      square[k]! ^= t << j;
      square[k + j]! ^= t;
    }
}

/** What principals of many are given under one set of those let in: everybody there is comes after the groups, then anyone. */
interface Bucket {
  allowed: Bits;
  /** By number of the principal: which row its cells are; −1 for none. */
  rowOf: Int32Array | undefined;
  touched: number[];
}

/**
 * Counts in each cell and total the identities that hold something through what is in it; owners too,
 * where no dimension is about shares. Throws a RangeError where that would be more sets than fit in memory.
 */
export function countPeople(x: Spread): void {
  const { view: v, columns, shares } = x.input;
  const { org } = v;
  const { toKind, toNumber, type, node } = org.entries;
  const E = org.entries.ids.length;
  const G = org.groups.length;
  const [EVERYBODY, ANYONE] = [G, G + 1];
  const C = columns.classes.length;
  const N = v.identityCount;
  const tooMany = (): never => {
    throw new RangeError('People cannot be counted in so many cells at once. Leave a dimension out, or hold to less.');
  };

  // what items, and what shares, have part in of a cell, numbered: the bit of a cell is the one's and the other's
  const items = numbered(x.byItem.leaves);
  const parts = numbered(x.byShare.leaves);
  const wide = items.leaves.length;
  const wordsOfClass = (wide + 31) >>> 5;
  const W = (wide * parts.leaves.length + 31) >>> 5;
  if (C * wordsOfClass + (N + 2 * G) * W > MOST_WORDS) tooMany();
  const ofClass = new Int32Array(C * wordsOfClass);
  for (let cls = 0; cls < C; cls++)
    for (let b = x.bundles.start[cls]!; b < x.bundles.start[cls + 1]!; b++)
      for (const n of items.of[x.comboOf[x.bundles.values[b]!]!]!) ofClass[cls * wordsOfClass + (n >>> 5)]! |= 1 << (n & 31);

  /** By identity, the cells it is in. */
  const held = new Int32Array(N * W);
  let rows = new Int32Array(1024 * W);
  let rowCount = 0;
  /** Joins a row of cells to an identity's. */
  const give = (identity: number, of: Int32Array, at: number): void => {
    for (let w = 0; w < W; w++) held[identity * W + w]! |= of[at + w]!;
  };
  const cellsOfShare = new Int32Array(wordsOfClass);
  let shareParts: Int32Array = Int32Array.of();
  /** Joins the cells of the share that is looked at to those at a place. */
  const join = (into: Int32Array, at: number): void => {
    for (let p = 0; p < shareParts.length; p++)
      for (let w = 0; w < wordsOfClass; w++) {
        const cells = cellsOfShare[w]!;
        if (!cells) continue;
        const bit = shareParts[p]! * wide + w * 32;
        const word = at + (bit >>> 5);
        into[word]! |= cells << (bit & 31);
        const over = bit & 31 ? cells >>> (32 - (bit & 31)) : 0;
        if (over) into[word + 1]! |= over;
      }
  };
  const buckets = new Map<Bits, Bucket>();
  const bucketOf = v.spaces.map(({ allowed }) => {
    let bucket = buckets.get(allowed);
    if (!bucket) buckets.set(allowed, (bucket = { allowed, rowOf: undefined, touched: [] }));
    return bucket;
  });
  const putMany = (bucket: Bucket, number: number): void => {
    bucket.rowOf ??= new Int32Array(G + 2).fill(-1);
    if (bucket.rowOf[number]! < 0) {
      bucket.rowOf[number] = rowCount++;
      bucket.touched.push(number);
      if (rowCount * W > rows.length) {
        if (rowCount * W > MOST_WORDS) tooMany();
        const more = new Int32Array(2 * rows.length);
        more.set(rows);
        rows = more;
      }
    }
    join(rows, bucket.rowOf[number]! * W);
  };
  const { start, values } = shares.classes;
  for (let share = 0; share < shares.count - 1; share++) {
    if (start[share] === start[share + 1]) continue;
    let any = 0;
    for (let w = 0; w < wordsOfClass; w++) {
      let cells = 0;
      for (let k = start[share]!; k < start[share + 1]!; k++) cells |= ofClass[values[k]! * wordsOfClass + w]!;
      any |= cellsOfShare[w] = cells;
    }
    if (!any) continue;
    shareParts = parts.of[x.byShare.of[share]!]!;
    const visible = share >= E;
    const bucket = bucketOf[visible ? share - E : spaceOfNode(org, node[share]!)]!;
    const { allowed } = bucket;
    if (visible) putMany(bucket, EVERYBODY);
    else if (type[share]! > LINK_NAMED) forEachRedeemer(v, share, (i) => has(allowed, i) && join(held, i * W));
    else
      for (let k = toKind.start[share]!; k < toKind.start[share + 1]!; k++) {
        const kind = toKind.values[k]!;
        const number = toNumber.values[k]!;
        if (kind === PRINCIPAL.group) putMany(bucket, number);
        else if (kind === PRINCIPAL.everyone) putMany(bucket, EVERYBODY);
        else if (kind === PRINCIPAL.anyone) putMany(bucket, ANYONE);
        else if (kind === PRINCIPAL.domain) {
          for (const u of v.domainMembers[number]!) if (has(allowed, u)) join(held, u * W);
        } else {
          const identity = soleIdentity(v, kind, number);
          if (identity >= 0 && has(allowed, identity)) join(held, identity * W);
        }
      }
  }

  const { order, component, components, size } = nestingOf(v);
  let handed: Int32Array | undefined;
  // what principals of many were given goes to their people one by one, or from group to group where that is less
  for (const { allowed, rowOf, touched } of buckets.values()) {
    let each = 0;
    for (const g of touched) if (g < G) each += size[g]!;
    const down = each > org.members.values.length;
    if (down) (handed ??= new Int32Array(components * W)).fill(0);
    for (const g of touched) {
      const at = rowOf![g]! * W;
      const list = v.groupLists[g];
      if (g >= G) forEachBoth(g === EVERYBODY ? v.members : v.all, allowed, (i) => give(i, rows, at));
      else if (down) for (let w = 0; w < W; w++) handed![component[g]! * W + w]! |= rows[at + w]!;
      else if (list) {
        for (const u of list) if (has(allowed, u)) give(u, rows, at);
      } else forEachBoth(v.groupMembers[g]!, allowed, (u) => give(u, rows, at));
    }
    if (!down) continue;
    const { start, values } = org.members;
    for (const g of order) {
      const at = component[g]! * W;
      let any = 0;
      for (let w = 0; w < W; w++) any |= handed![at + w]!;
      if (!any) continue;
      for (let k = start[g]!; k < start[g + 1]!; k++) {
        const m = values[k]!;
        if (m >= 0) {
          if (has(v.all, m) && has(allowed, m)) give(m, handed!, at);
        } else for (let w = 0, to = component[~m]! * W; w < W; w++) handed![to + w]! |= handed![at + w]!;
      }
    }
  }
  // owners hold what they own, however it is shared; where cells are of shares, they are not of them
  if (!x.ofShares)
    for (let i = 0; i < x.bundleOfItem.length; i++) {
      const b = x.bundleOfItem[i]!;
      if (b < 0 || !columns.ownerAdds[nodeOfItem(org, i)]) continue;
      for (const n of items.of[x.comboOf[b]!]!) held[org.itemOwner[i]! * W + (n >>> 5)]! |= 1 << (n & 31);
    }

  const words = (N + 31) >>> 5;
  const sets = new Map<number, Bits>();
  const setOf = (cell: number): Bits => {
    let set = sets.get(cell);
    if (!set) {
      if ((sets.size + 1) * words > MOST_WORDS) tooMany();
      sets.set(cell, (set = new Int32Array(words)));
    }
    return set;
  };
  // turned from the cells of identities into the identities of cells, a square of 32 by 32 at a time
  const square = new Int32Array(32);
  const leaves: (Bits | undefined)[] = [];
  for (let word = 0; word < words; word++)
    for (let w = 0; w < W; w++) {
      let some = 0;
      for (let k = 0; k < 32; k++) some |= square[k] = held[(word * 32 + k) * W + w] ?? 0;
      if (!some) continue;
      turn(square);
      for (; some; some &= some - 1) {
        const bit = 31 - Math.clz32(some & -some);
        const n = w * 32 + bit;
        (leaves[n] ??= setOf(items.leaves[n % wide]! + parts.leaves[Math.floor(n / wide)]!))[word] = square[bit]!;
      }
    }

  // one dimension after the other: the total over it is all its values together
  x.sizes.forEach((size, k) => {
    const stride = x.sizes.slice(k + 1).reduce((n, s) => n * (s + 1), 1);
    for (const cell of [...sets.keys()]) {
      const at = Math.floor(cell / stride) % (size + 1);
      if (at < size) union(setOf(cell + (size - at) * stride), sets.get(cell)!);
    }
  });
  for (const [cell, set] of sets) x.cells.people[cell] = countBoth(set, set);
} // prettier-ignore
