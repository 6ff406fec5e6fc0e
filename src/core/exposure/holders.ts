/**
 * The identities that hold something through what is in each cell of a cross-tabulation. Each identity
 * carries the cells it is in, not each cell its identities: a share's cells are then given to whom it
 * names in one step, and a group hands its own on to what it holds, once, however many cells they are.
 */
import { anyBoth, countBoth, forEachBoth, has, ones, type Bits } from '../access/bits.ts';
import { GrowInt32, listsBy, type Lists } from '../access/growable.ts';
import { groupsAbove } from '../access/groups.ts';
import { nodeOfItem, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { forEachRedeemer, LINK_NAMED, type ReachColumns } from '../access/reach.ts';
import { soleIdentity, type View } from '../access/view.ts';
import type { Shares, Spread } from './crosstab.ts';

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
function numbered(combinations: readonly Int32Array[], cells: number): { of: Lists; leaves: Int32Array } {
  const numbers = new Int32Array(cells).fill(-1);
  const [start, values, leaves] = [new Int32Array(combinations.length + 1), new GrowInt32(), new GrowInt32()];
  combinations.forEach((list, c) => {
    for (const leaf of list) values.push(numbers[leaf]! < 0 ? (numbers[leaf] = leaves.push(leaf)) : numbers[leaf]!);
    start[c + 1] = values.length;
  });
  return { of: { start, values: values.done() }, leaves: leaves.done() };
} // prettier-ignore

/** Transposes 32 words of 32 bits in place: bit i of word k becomes bit k of word i (Warren, Hacker's Delight, 7-3). */
function turn(square: Int32Array): void {
  for (let j = 16, mask = 0xffff; j; j >>>= 1, mask ^= mask << j)
    for (let k = 0; k < 32; k = (k + j + 1) & ~j) {
      const t = ((square[k]! >>> j) ^ square[k + j]!) & mask;
      square[k]! ^= t << j;
      square[k + j]! ^= t;
    }
}

/** Whom shares name, once for each place where one begins. */
interface Named {
  /** Single identities, of those that the share's space lets in; in the order of shares. */
  one: { share: Int32Array; place: Int32Array; identity: Int32Array };
  /** Shares that name each of `many`, with the places. */
  start: Int32Array;
  share: Int32Array;
  place: Int32Array;
  many: Many[];
}

/** A group, or by number after the groups everybody there is, then anyone, as far as a set of identities lets them in. */
interface Many {
  allowed: Bits;
  number: number;
  /** How many identities that are, or somewhat more. */
  size: number;
}
const namings = new WeakMap<Shares, Named>();

/** Whom shares name; kept as long as they are. */
export function namedBy(v: View, shares: Shares): Named {
  let known = namings.get(shares);
  if (known) return known;
  const { org } = v;
  const { toKind, toNumber, type, node } = org.entries;
  const E = org.entries.ids.length;
  const G = org.groups.length;
  const { size } = nestingOf(v);
  const [share1, place1, identity1] = [new GrowInt32(), new GrowInt32(), new GrowInt32()];
  const [owner, share2, place2] = [new GrowInt32(), new GrowInt32(), new GrowInt32()];
  const many: Many[] = [];
  const numbers = new Map<Bits, Int32Array>();
  const { start, values } = shares.places;
  let [share, from, to, allowed] = [0, 0, 0, v.all];
  const giveOne = (identity: number): void => {
    if (identity < 0 || !has(allowed, identity)) return;
    for (let k = from; k < to; k++) {
      share1.push(share);
      place1.push(values[k]!);
      identity1.push(identity);
    }
  };
  const giveMany = (number: number): void => {
    let mine = numbers.get(allowed);
    if (!mine) numbers.set(allowed, (mine = new Int32Array(G + 2).fill(-1)));
    if (mine[number]! < 0) mine[number] = many.push({ allowed, number, size: size[number] ?? v.identityCount }) - 1;
    for (let k = from; k < to; k++) {
      owner.push(mine[number]!);
      share2.push(share);
      place2.push(values[k]!);
    }
  };
  for (; share < shares.count - 1; share++) {
    from = start[share]!;
    to = start[share + 1]!;
    if (from === to) continue;
    const visible = share >= E;
    ({ allowed } = v.spaces[visible ? share - E : spaceOfNode(org, node[share]!)]!);
    if (visible) giveMany(G);
    else if (type[share]! > LINK_NAMED) forEachRedeemer(v, share, giveOne);
    else
      for (let k = toKind.start[share]!; k < toKind.start[share + 1]!; k++) {
        const kind = toKind.values[k]!;
        const number = toNumber.values[k]!;
        if (kind === PRINCIPAL.group) giveMany(number);
        else if (kind === PRINCIPAL.everyone) giveMany(G);
        else if (kind === PRINCIPAL.anyone) giveMany(G + 1);
        else if (kind === PRINCIPAL.domain) v.domainMembers[number]!.forEach(giveOne);
        else giveOne(soleIdentity(v, kind, number));
      }
  }
  const owners = owner.done();
  const listed = listsBy(owners, share2.done(), many.length);
  known = {
    one: { share: share1.done(), place: place1.done(), identity: identity1.done() },
    start: listed.start,
    share: listed.values,
    place: listsBy(owners, place2.done(), many.length).values,
    many,
  };
  namings.set(shares, known);
  return known;
} // prettier-ignore

/**
 * How much of a count by item a group's members reach through it, as `whatOf` says: what is put below the
 * places where shares begin that name it, or a group that holds it, in a space that lets one of them in.
 */
export function reachedByGroup(v: View, columns: ReachColumns, shares: Shares, counts: readonly ArrayLike<number>[]): (group: number) => number[] {
  const { org } = v;
  const { many, start, place } = namedBy(v, shares);
  const C = columns.classes.length;
  const before = counts.map((of) => {
    const sums = new Float64Array(C + 1);
    for (let i = 0; i < org.itemIds.length; i++) sums[shares.place[columns.accessClass[nodeOfItem(org, i)]!]! + 1]! += of[i]!;
    for (let p = 0; p < C; p++) sums[p + 1]! += sums[p]!;
    return sums;
  });
  const groups = many.flatMap(({ number }, n) => (number < org.groups.length ? [[number, n] as const] : []));
  const ofGroup = listsBy(Int32Array.from(groups, ([g]) => g), Int32Array.from(groups, ([, n]) => n), org.groups.length);
  const seen = new Int32Array(C).fill(-1);
  const here = new Int32Array(C);
  return (group) => {
    let count = 0;
    const letIn = new Map<Bits, boolean>();
    for (const g of groupsAbove(org, [group]))
      for (const n of ofGroup.values.subarray(ofGroup.start[g], ofGroup.start[g + 1])) {
        const { allowed } = many[n]!;
        let some = letIn.get(allowed);
        if (some === undefined) letIn.set(allowed, (some = anyBoth(v.groupMembers[group]!, allowed)));
        if (!some) continue;
        for (const p of place.subarray(start[n], start[n + 1])) {
          if (seen[p] === group) continue;
          seen[p] = group;
          here[count++] = p;
        }
      }
    const sums = counts.map(() => 0);
    let to = 0;
    // those below one are next to it: what is inside another is counted with it
    for (const p of here.subarray(0, count).sort()) {
      if (p < to) continue;
      to = shares.end[p]!;
      before.forEach((of, k) => (sums[k]! += of[to]! - of[p]!));
    }
    return sums;
  };
} // prettier-ignore

/**
 * Counts in each cell and total the identities that hold something through what is in it; owners too,
 * where no dimension is about shares. Throws a RangeError where that would be more sets than fit in memory.
 */
export function countPeople(x: Spread): void {
  const { view: v, columns, shares } = x.input;
  const { org } = v;
  const G = org.groups.length;
  const C = columns.classes.length;
  const N = v.identityCount;
  const { people } = x.cells;

  // what items, and what shares, have part in of a cell, numbered: the bit of a cell is the one's and the other's
  const items = numbered(x.byItem.leaves, people.length);
  const parts = numbered(x.byShare.leaves, people.length);
  const wide = items.leaves.length;
  const wordsOfPlace = (wide + 31) >>> 5;
  const W = (wide * parts.leaves.length + 31) >>> 5;
  const { order, component, components } = nestingOf(v);
  if (C * wordsOfPlace + (N + components) * W > MOST_WORDS)
    throw new RangeError('People cannot be counted in so many cells at once. Leave a dimension out, or hold to less.');
  /** By place, what the items of it have part in, and of all that inherit from it. */
  const behind = new Int32Array(C * wordsOfPlace);
  for (let p = C - 1; p >= 0; p--) {
    for (let b = x.bundles.start[p]!; b < x.bundles.start[p + 1]!; b++) {
      const combo = x.comboOf[x.bundles.values[b]!]!;
      for (let k = items.of.start[combo]!; k < items.of.start[combo + 1]!; k++)
        behind[p * wordsOfPlace + (items.of.values[k]! >>> 5)]! |= 1 << (items.of.values[k]! & 31);
    }
    const above = shares.above[p]!;
    if (above >= 0) for (let w = 0; w < wordsOfPlace; w++) behind[above * wordsOfPlace + w]! |= behind[p * wordsOfPlace + w]!;
  }

  /** By identity, the cells it is in. */
  const held = new Int32Array(N * W);
  /** Joins cells of items, at a place, with the parts of a combination of shares, to those of a row. */
  const join = (into: Int32Array, row: number, combo: number, cells: Int32Array, at: number): void => {
    for (let w = 0; w < wordsOfPlace; w++) {
      const word = cells[at * wordsOfPlace + w]!;
      if (word)
        for (let p = parts.of.start[combo]!; p < parts.of.start[combo + 1]!; p++) {
          const bit = parts.of.values[p]! * wide + w * 32;
          const to = row * W + (bit >>> 5);
          into[to]! |= word << (bit & 31);
          const over = bit & 31 ? word >>> (32 - (bit & 31)) : 0;
          if (over) into[to + 1]! |= over;
        }
    }
  };
  const named = namedBy(v, shares);
  const { of } = x.byShare;
  const { one, many } = named;
  for (let k = 0; k < one.share.length; k++) join(held, one.identity[k]!, of[one.share[k]!]!, behind, one.place[k]!);

  // what a principal of many is given goes to its people one by one, or from group to group where that is less
  const each = new Map<Bits, number>();
  for (const { allowed, number, size } of many) if (number < G) each.set(allowed, (each.get(allowed) ?? 0) + size);
  /** What the combinations of shares that name one of many stand for, put together before it is handed on. */
  const together = new Int32Array(parts.of.start.length * wordsOfPlace);
  const row = new Int32Array(W);
  /** The words of the row that have anything. */
  const some = new Int32Array(W);
  let count = 0;
  const give = (into: Int32Array, to: number): void => {
    for (let k = 0; k < count; k++) into[to * W + some[k]!]! |= row[some[k]!]!;
  };
  const handed = new Map<Bits, Int32Array>();
  many.forEach(({ allowed, number }, n) => {
    const combos = new Set<number>();
    for (let k = named.start[n]!; k < named.start[n + 1]!; k++) {
      const combo = of[named.share[k]!]!;
      const at = named.place[k]! * wordsOfPlace;
      for (let w = 0; w < wordsOfPlace; w++) together[combo * wordsOfPlace + w]! |= behind[at + w]!;
      combos.add(combo);
    }
    row.fill(0);
    for (const combo of combos) {
      join(row, 0, combo, together, combo);
      together.fill(0, combo * wordsOfPlace, (combo + 1) * wordsOfPlace);
    }
    count = 0;
    for (let w = 0; w < W; w++) if (row[w]) some[count++] = w;
    if (!count) return;
    const list = v.groupLists[number];
    if (number >= G) forEachBoth(number === G ? v.members : v.all, allowed, (i) => give(held, i));
    else if (each.get(allowed)! > org.members.values.length) {
      let rows = handed.get(allowed);
      if (!rows) handed.set(allowed, (rows = new Int32Array(components * W)));
      give(rows, component[number]!);
    } else if (list) {
      for (const i of list) if (has(allowed, i)) give(held, i);
    } else forEachBoth(v.groupMembers[number]!, allowed, (i) => give(held, i));
  });
  const { start, values } = org.members;
  for (const [allowed, rows] of handed)
    for (const g of order) {
      const from = component[g]! * W;
      count = 0;
      for (let w = 0; w < W; w++) if ((row[w] = rows[from + w]!)) some[count++] = w;
      if (!count) continue;
      for (let k = start[g]!; k < start[g + 1]!; k++) {
        const m = values[k]!;
        if (m < 0) give(rows, component[~m]!);
        else if (has(v.all, m) && has(allowed, m)) give(held, m);
      }
    }
  // owners hold what they own, however it is shared; where cells are of shares, they are not of them
  if (!x.ofShares)
    for (let i = 0; i < x.bundleOfItem.length; i++) {
      const b = x.bundleOfItem[i]!;
      if (b < 0 || !columns.ownerAdds[nodeOfItem(org, i)]) continue;
      const combo = x.comboOf[b]!;
      for (let k = items.of.start[combo]!; k < items.of.start[combo + 1]!; k++)
        held[org.itemOwner[i]! * W + (items.of.values[k]! >>> 5)]! |= 1 << (items.of.values[k]! & 31);
    }

  // turned from the cells of identities into the identities of cells, 32 by 32 at a time, and counted
  const square = new Int32Array(32);
  const here = new Int32Array(people.length);
  for (let first = 0; first < N; first += 32) {
    let any = 0;
    for (let w = 0; w < W; w++) {
      let bits = 0;
      for (let k = 0; k < 32; k++) bits |= square[k] = held[(first + k) * W + w] ?? 0;
      if (!bits) continue;
      any = 1;
      turn(square);
      for (; bits; bits &= bits - 1) {
        const bit = 31 - Math.clz32(bits & -bits);
        const n = w * 32 + bit;
        const part = Math.floor(n / wide);
        here[items.leaves[n - part * wide]! + parts.leaves[part]!] = square[bit]!;
      }
    }
    if (!any) continue;
    // one dimension after the other: the total over it is all its values together
    let stride = people.length;
    for (const size of x.sizes) {
      const block = stride;
      stride /= size + 1;
      for (let from = 0; from < people.length; from += block)
        for (let r = from; r < from + stride; r++) {
          let all = 0;
          for (let c = r; c < r + size * stride; c += stride) all |= here[c]!;
          here[r + size * stride] = all;
        }
    }
    for (let c = 0; c < here.length; c++) if (here[c]) people[c]! += ones(here[c]!);
    here.fill(0);
  }
} // prettier-ignore
