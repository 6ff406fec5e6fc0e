/**
 * The identities that hold something through what is in each cell of a cross-tabulation. Each identity
 * carries the cells it is in, not each cell its identities: a share's cells are then given to whom it
 * names in one step, and a group hands its own on to what it holds, once, however many cells they are.
 */
import { anyBoth, countBoth, forEachBoth, has, type Bits } from '../access/bits.ts';
import { counting, GrowInt32, listsBy, type Lists } from '../access/growable.ts';
import { groupsAbove } from '../access/groups.ts';
import { nodeOfItem, PRINCIPAL, spaceOfNode } from '../access/organisation.ts';
import { forEachRedeemer, LINK_NAMED, type ReachColumns } from '../access/reach.ts';
import { soleIdentity, type View } from '../access/view.ts';
import { roomFor } from './cells.ts';
import type { Combinations, Shares, Spread } from './tab.ts';

/** Words of sets that are held at once. */
const MOST_WORDS = 64_000_000;
/** So many are joined, or given to, at a stretch. */
const AT_ONCE = 65_536;
/** People are turned 128 at a time; what comes after them has the next number. */
const firstAfter = (people: number): number => Math.ceil(people / 128) * 128;

/** How groups hold groups. Those that hold each other are one component, and stand for the same people. */
interface Nesting {
  /** Groups, those that hold others first, the groups of one component next to each other. */
  order: Int32Array;
  component: Int32Array;
  components: number;
  /** How many people each group stands for. */
  size: Int32Array;
  /** What groups hold, as `org.members` has it: people by number, components by theirs after all people's. */
  heldBy: Int32Array;
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
  const groups = listsBy(
    component,
    Int32Array.from({ length: count }, (_, g) => g),
    components,
  );
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
    order: Int32Array.from(
      next.flatMap((c) => [...groups.values.subarray(groups.start[c], groups.start[c + 1])]),
    ),
    component,
    components,
    size: Int32Array.from(v.groupMembers, (set) => countBoth(set, set)),
    heldBy: values.map((m) => (m < 0 ? firstAfter(v.identityCount) + component[~m]! : m)),
  };
  nestings.set(v, known);
  return known;
}

/** Numbers what combinations add to a cell's index without totals, and says which numbers each combination has. */
function numbered(x: Combinations, cells: number): { of: Lists; leaves: Int32Array } {
  const numbers = new Int32Array(cells).fill(-1);
  const [start, values, leaves] = [new Int32Array(x.split.length + 1), new GrowInt32(), new GrowInt32()];
  x.split.forEach((split, c) => {
    for (let k = x.start[c]!; k < split; k++) {
      const leaf = x.values[k]!;
      values.push(numbers[leaf]! < 0 ? (numbers[leaf] = leaves.push(leaf)) : numbers[leaf]!);
    }
    start[c + 1] = values.length;
  });
  return { of: { start, values: values.done() }, leaves: leaves.done() };
}

/** Whom shares name, once for each place where one begins. */
interface Named {
  /**
   * Single identities, of those that the share's space lets in: places and identities with identities of nearby
   * numbers next to each other, and shares in their own order, each with its slot among the others.
   */
  one: { share: Int32Array; slot: Int32Array; place: Int32Array; identity: Int32Array };
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
/** Identities are near each other that have so many bits less of their numbers in common. */
const NEAR = 9;

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
    if (mine[number]! < 0)
      mine[number] = many.push({ allowed, number, size: size[number] ?? v.identityCount }) - 1;
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
  const identities = identity1.done();
  const near = listsBy(
    identities.map((i) => i >>> NEAR),
    counting(identities.length),
    (v.identityCount >>> NEAR) + 1,
  ).values;
  const slot = new Int32Array(near.length);
  near.forEach((k, n) => (slot[k] = n));
  known = {
    one: {
      share: share1.done(),
      slot,
      place: near.map((k) => place1.at(k)),
      identity: near.map((k) => identities[k]!),
    },
    start: listed.start,
    share: listed.values,
    place: listsBy(owners, place2.done(), many.length).values,
    many,
  };
  namings.set(shares, known);
  return known;
}

/**
 * How much of a count by item a group's members reach through it, as `whatOf` says: what is put below the
 * places where shares begin that name it, or a group that holds it, in a space that lets one of them in.
 */
export function reachedByGroup(
  v: View,
  columns: ReachColumns,
  shares: Shares,
  counts: readonly ArrayLike<number>[],
): (group: number) => number[] {
  const { org } = v;
  const { many, start, place } = namedBy(v, shares);
  const C = columns.classes.length;
  const before = counts.map((of) => {
    const sums = new Float64Array(C + 1);
    for (let i = 0; i < org.itemIds.length; i++)
      sums[shares.place[columns.accessClass[nodeOfItem(org, i)]!]! + 1]! += of[i]!;
    for (let p = 0; p < C; p++) sums[p + 1]! += sums[p]!;
    return sums;
  });
  const groups = many.flatMap(({ number }, n) => (number < org.groups.length ? [[number, n] as const] : []));
  const ofGroup = listsBy(
    Int32Array.from(groups, ([g]) => g),
    Int32Array.from(groups, ([, n]) => n),
    org.groups.length,
  );
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
}

/** Puts what shares have into slots; in a small function, for it goes through millions. */
function putInSlots(of: Int32Array, share: Int32Array, into: Int32Array, slot?: Int32Array): void {
  for (let k = 0; k < share.length; k++) into[slot ? slot[k]! : k] = of[share[k]!]!;
}

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
  const items = numbered(x.byItem, people.length);
  const parts = numbered(x.byShare, people.length);
  const wide = items.leaves.length;
  const wordsOfPlace = (wide + 31) >>> 5;
  const { order, component, components, heldBy } = nestingOf(v);
  /** Rows of words: of each identity the cells it is in, of each component of groups those that it hands on, and one to put together. */
  const W = Math.ceil((wide * parts.leaves.length) / 128) * 4;
  if (!W) return;
  const stride = W * 4;
  const groupRows = firstAfter(N);
  const row = groupRows + components;
  if (C * wordsOfPlace + (row + 1) * W > MOST_WORDS)
    throw new RangeError(
      'People cannot be counted in so many cells at once. Leave a dimension out, or hold to less.',
    );
  const setBytes = people.length * 16;
  const combinations = x.byShare.split.length;
  const { one, share, start, place, many } = namedBy(v, shares);
  const room = roomFor({
    table: (row + 1) * stride,
    behind: C * wordsOfPlace * 4,
    starts: parts.of.start.length * 4,
    bits: parts.of.values.length * 4,
    ofOne: one.share.length * 4,
    ofMany: share.length * 4,
    places: AT_ONCE * 4,
    list: AT_ONCE * 4,
    met: (combinations + 1) * 4,
    there: combinations,
    together: combinations * wordsOfPlace * 4,
    held: heldBy.length * 4,
    letIn: Math.ceil((row + 1) / 32) * 4,
    some: W,
    cellOf: W * 128,
    square: 512,
    here: setBytes + 16,
    counts: people.length * 4,
  });
  const { at, kernels } = room;
  const table = room.ints('table');
  room.ints('starts').set(parts.of.start);
  room.ints('bits').set(parts.of.values.map((part) => part * wide));
  room.ints('held').set(heldBy);
  // by place, what the items of it have part in, and of all that inherit from it
  const behind = room.ints('behind');
  for (let p = C - 1; p >= 0; p--) {
    for (let b = x.bundles.start[p]!; b < x.bundles.start[p + 1]!; b++) {
      const combo = x.comboOf[x.bundles.values[b]!]!;
      for (let k = items.of.start[combo]!; k < items.of.start[combo + 1]!; k++)
        behind[p * wordsOfPlace + (items.of.values[k]! >>> 5)]! |= 1 << (items.of.values[k]! & 31);
    }
    const above = shares.above[p]!;
    if (above >= 0)
      for (let w = 0; w < wordsOfPlace; w++)
        behind[above * wordsOfPlace + w]! |= behind[p * wordsOfPlace + w]!;
  }

  const [places, list] = [room.ints('places'), room.ints('list')];
  /** Brings places into the room, as many as are worked on at a stretch, and tells which. */
  const inParts = (
    placeOf: Int32Array,
    from: number,
    to: number,
    work: (first: number, last: number) => void,
  ): void => {
    for (let first = from; first < to; first += AT_ONCE) {
      const last = Math.min(first + AT_ONCE, to);
      places.set(placeOf.subarray(first, last));
      work(first, last);
    }
  };
  // what all identities carry is more than fits in a cache, what those near each other carry is not
  putInSlots(x.byShare.of, one.share, room.ints('ofOne'), one.slot);
  inParts(one.place, 0, one.share.length, (first, last) => {
    list.set(one.identity.subarray(first, last));
    kernels.join(
      at.ofOne + first * 4,
      at.ofOne + last * 4,
      at.places,
      at.list,
      4,
      at.behind,
      wordsOfPlace,
      at.starts,
      at.bits,
      at.table,
      stride,
    );
  });

  putInSlots(x.byShare.of, share, room.ints('ofMany'));
  const [together, metOfMany] = [room.ints('together'), room.ints('met')];
  /** Joins what shares that name one of many have behind them to a row; those of one combination are put together first. */
  const joinMany = (n: number, to: number): void => {
    let met = at.met;
    inParts(place, start[n]!, start[n + 1]!, (first, last) => {
      const [from, end] = [at.ofMany + first * 4, at.ofMany + last * 4];
      kernels.gather(from, end, at.places, at.behind, wordsOfPlace, at.together);
      met = kernels.note(from, end, met, at.there);
    });
    list[0] = to;
    kernels.join(
      at.met,
      met,
      at.met,
      at.list,
      0,
      at.together,
      wordsOfPlace,
      at.starts,
      at.bits,
      at.table,
      stride,
    );
    kernels.forget(at.met, met, at.there);
    for (const combo of metOfMany.subarray(0, (met - at.met) / 4))
      together.fill(0, combo * wordsOfPlace, (combo + 1) * wordsOfPlace);
  };
  const letIn = room.ints('letIn');
  let listed = 0;
  /** Gives what a row has to the rows of a list, if they are let in. */
  const give = (r: number, from: number, end: number): void => {
    const someEnd = kernels.look(at.table + r * stride, stride, at.some);
    if (end > from && someEnd > at.some)
      kernels.give(at.table + r * stride, at.some, someEnd, from, end, at.letIn, at.table, stride);
  };
  const flush = (): void => {
    give(row, at.list, at.list + listed * 4);
    listed = 0;
  };
  const toRow = (i: number): void => {
    list[listed++] = i;
    if (listed === AT_ONCE) flush();
  };
  const byAllowed = new Map<Bits, number[]>();
  many.forEach(({ allowed }, n) => {
    const mine = byAllowed.get(allowed);
    if (mine) mine.push(n);
    else byAllowed.set(allowed, [n]);
  });
  for (const [allowed, mine] of byAllowed) {
    for (let w = 0; w < allowed.length; w++) letIn[w] = allowed[w]! & v.all[w]!;
    letIn.fill(-1, groupRows / 32);
    // of fewer people than a set has words each is asked whether the set has them
    const few: number[] = [];
    const words = v.all.length;
    forEachBoth(allowed, v.all, (i) => few.length < words && few.push(i));
    // what a principal of many is given goes to its people one by one, or from group to group where that is less
    const down = mine.reduce((all, n) => all + (many[n]!.number < G ? many[n]!.size : 0), 0) > heldBy.length;
    if (down) table.fill(0, groupRows * W, row * W);
    for (const n of mine) {
      const { number } = many[n]!;
      const handed = down && number < G;
      joinMany(n, handed ? groupRows + component[number]! : row);
      if (handed) continue;
      const people = v.groupLists[number];
      const set = number === G ? v.members : number > G ? v.all : v.groupMembers[number]!;
      if (people) {
        list.set(people);
        listed = people.length;
      } else if (few.length < words) {
        for (const i of few) if (has(set, i)) toRow(i);
      } else forEachBoth(set, allowed, toRow);
      flush();
      table.fill(0, row * W, (row + 1) * W);
    }
    if (down)
      for (const g of order)
        give(
          groupRows + component[g]!,
          at.held + org.members.start[g]! * 4,
          at.held + org.members.start[g + 1]! * 4,
        );
  }
  // owners hold what they own, however it is shared; where cells are of shares, they are not of them
  if (!x.ofShares)
    for (let i = 0; i < x.bundleOfItem.length; i++) {
      const b = x.bundleOfItem[i]!;
      if (b < 0 || !columns.ownerAdds[nodeOfItem(org, i)]) continue;
      const combo = x.comboOf[b]!;
      for (let k = items.of.start[combo]!; k < items.of.start[combo + 1]!; k++)
        table[org.itemOwner[i]! * W + (items.of.values[k]! >>> 5)]! |= 1 << (items.of.values[k]! & 31);
    }

  // turned from the cells of identities into the identities of cells, 128 at a time, and counted
  const cellOf = room.ints('cellOf').fill(setBytes);
  for (let n = 0; n < wide * parts.leaves.length; n++)
    cellOf[n] = (items.leaves[n % wide]! + parts.leaves[Math.floor(n / wide)]!) * 16;
  for (let first = 0; first < groupRows; first += 128) {
    if (!kernels.turn(at.table + first * stride, stride, at.cellOf, at.here, at.square)) continue;
    // one dimension after the other: the total over it is all its values together
    let block = setBytes;
    for (const size of x.sizes) kernels.total(at.here, at.here + setBytes, size, (block /= size + 1));
    kernels.count(at.here, at.here + setBytes, at.counts);
  }
  people.set(room.ints('counts'));
}
