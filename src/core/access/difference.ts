/** What a set of changes would alter, per identity and node, without touching anything. */
import {
  add,
  type Bits,
  bitsFor,
  countBoth,
  forEachBoth,
  forEachIn,
  has,
  intersect,
  union,
  without,
} from './bits.ts';
import { bitsIn, type SpaceRow } from '../model.ts';
import { alter, type Alteration, type Change } from './change.ts';
import { GrowInt32, listsBy, type Lists } from './growable.ts';
import { itemsBelow, PRINCIPAL } from './organisation.ts';
import {
  free,
  givenTo,
  isHeld,
  isInert,
  namedBy,
  roleOf,
  sources,
  spaceOf,
  unionsOf,
  type Source,
  type Unions,
} from './questions.ts';
import { accessClasses, reach, type ReachColumns } from './reach.ts';
import { whatOf } from './what.ts';
import type { View } from './view.ts';

/** Identities whose capabilities at some nodes differ in the same way, as columns. */
export interface DifferenceGroup {
  nodes: number[];
  identities: Int32Array;
  before: Uint8Array;
  after: Uint8Array;
}

export interface Difference {
  /** The view with the changes applied. */
  view: View;
  groups: DifferenceGroup[];
  /** Reach of the nodes in `touched`, before and after. */
  before: ReachColumns;
  after: ReachColumns;
  /** Every node on which something that applies is altered, in rising order. */
  touched: Int32Array;
  unknown: Change[];
}

/** The identities that can do less with some node than before. */
export function losersIn(d: Pick<Difference, 'groups'>): Set<number> {
  const losers = new Set<number>();
  for (const { identities, before, after } of d.groups)
    identities.forEach((i, k) => (before[k]! & ~after[k]!) !== 0 && losers.add(i));
  return losers;
}

/** Up to so many identities are asked one by one; for more, sets are put together first. */
const FEW = 16;

/** What owning a file or folder comes to: less where its space is archived. */
const owning = (x: View, node: number): number => bitsIn(x.org.spaces[spaceOf(x, node)]!, 'owner');

type Changed = Omit<DifferenceGroup, 'nodes'>;

/** The nodes on which something that applies is altered. */
function touchedBy(v: View, a: Alteration, renamed: ReadonlySet<number>): Int32Array {
  const { org } = v;
  const S = org.spaces.length;
  const marks = new Uint8Array(S + org.itemIds.length);
  const below = (node: number): void => {
    if (node < 0) return;
    const [from, to] = itemsBelow(org, node);
    marks[node] = 1;
    marks.fill(1, S + from, S + to);
  };
  for (const e of a.entries) below(org.entries.node[e]!);
  for (const e of renamed) if (v.live[e]) below(org.entries.node[e]!);
  for (const s of a.spaces) below(s);
  for (const i of a.items) below(S + i);
  for (const identity of a.users) whatOf(v, { identity }).forEach((bits, node) => bits && (marks[node] = 1));
  const touched: number[] = [];
  for (let node = 0; node < marks.length; node++) if (marks[node]) touched.push(node);
  return Int32Array.from(touched);
}

/** By group: the entries that name it, in force or not; made once for the entries of an organisation. */
const naming = new WeakMap<Lists, Lists>();

/** Entries that name a group which stands for other people than before. */
function entriesNaming(v: View, groups: ReadonlySet<number>): Set<number> {
  const found = new Set<number>();
  if (!groups.size) return found;
  const { toKind, toNumber } = v.org.entries;
  let lists = naming.get(toKind);
  if (!lists) {
    const [of, list] = [new GrowInt32(), new GrowInt32()];
    for (let e = 0; e < v.live.length; e++)
      for (let i = toKind.start[e]!; i < toKind.start[e + 1]!; i++)
        if (toKind.values[i] === PRINCIPAL.group) {
          of.push(toNumber.values[i]!);
          list.push(e);
        }
    naming.set(toKind, (lists = listsBy(of.done(), list.done(), v.org.groups.length)));
  }
  for (const g of groups)
    for (let k = lists.start[g]!; k < lists.start[g + 1]!; k++) found.add(lists.values[k]!);
  return found;
}

/** What applies to a node, owning it aside: what is gone or other later, what is new or other, and what stays. */
function sourcesApart(
  v: View,
  later: View,
  node: number,
  altered: (s: Source) => boolean,
): {
  space: number;
  was: Bits;
  is: Bits;
  editorsDiffer: boolean;
  gone: Source[];
  fresh: Source[];
  common: Source[];
} {
  const space = spaceOf(v, node);
  const was = v.spaces[space]!.allowed;
  const is = later.spaces[space]!.allowed;
  const row = (x: View): SpaceRow => x.org.spaces[space]!;
  const archivedDiffers = (row(v).archived ?? false) !== (row(later).archived ?? false);
  const editorsDiffer = bitsIn(row(v), 'editor') !== bitsIn(row(later), 'editor');
  const giving = (x: View): Source[] =>
    sources(x, node).filter((s) => s.entry !== 'ownership' && !isInert(x, s, space));
  const left = giving(v);
  const right = giving(later);
  const stays = (s: Source): boolean =>
    !altered(s) && !archivedDiffers && !(editorsDiffer && roleOf(v, s) === 'editor');
  // both lists are in one order: what stays is met on both sides at once
  const [gone, fresh, common]: [Source[], Source[], Source[]] = [[], [], []];
  let r = 0;
  for (const s of left) {
    while (r < right.length && comesBefore(right[r]!, s)) fresh.push(right[r++]!);
    const there = r < right.length && right[r]!.entry === s.entry && right[r]!.at === s.at;
    if (there && stays(s)) {
      common.push(s);
      r++;
    } else {
      gone.push(s);
      if (there) fresh.push(right[r++]!);
    }
  }
  return { space, was, is, editorsDiffer, gone, fresh: [...fresh, ...right.slice(r)], common };
}

/** Whether one source comes before another in the order of `sources`: nearest first, by number, visibility last. */
const comesBefore = (a: Source, b: Source): boolean =>
  a.steps < b.steps || (a.steps === b.steps && numberOf(a) < numberOf(b));
const numberOf = ({ entry }: Source): number => (typeof entry === 'number' ? entry : Infinity);

/**
 * Whose capabilities at a node differ, owners aside. Only whom the altered sources name, and whom the
 * space treats otherwise, can differ, so only they are looked at.
 */
function changesAt(v: View, later: View, node: number, altered: (s: Source) => boolean): Changed {
  const { space, was, is, common, ...apart } = sourcesApart(v, later, node, altered);
  const { arena } = v;
  const gone = unionsOf(v, apart.gone, space);
  const fresh = unionsOf(later, apart.fresh, space);
  const named = arena.borrow();
  for (const { sets } of [gone, fresh]) for (const set of sets) union(named, set);
  if (was !== is) for (let w = 0; w < named.length; w++) named[w]! |= was[w]! ^ is[w]!;
  const either = arena.borrow();
  union(either, was);
  if (was !== is) union(either, is);
  intersect(named, either);

  const most = countBoth(named, named);
  const found = {
    identities: new Int32Array(most),
    before: new Uint8Array(most),
    after: new Uint8Array(most),
  };
  let n = 0;
  const stay = most > FEW ? unionsOf(v, common, space) : NOBODY;
  forEachBoth(named, named, (identity) => {
    let both = heldIn(stay, identity);
    if (stay === NOBODY) for (const s of common) both |= givenTo(v, s, space, identity);
    let b = both | heldIn(gone, identity);
    let a = both | heldIn(fresh, identity);
    if (was !== is) {
      if (!has(was, identity)) b = 0;
      if (!has(is, identity)) a = 0;
    }
    if (b === a) return;
    found.identities[n] = identity;
    found.before[n] = b;
    found.after[n++] = a;
  });
  for (const unions of [gone, fresh, stay]) free(v, unions);
  arena.giveBack(named);
  arena.giveBack(either);
  return {
    identities: found.identities.slice(0, n),
    before: found.before.slice(0, n),
    after: found.after.slice(0, n),
  };
}

const NOBODY: Unions = { given: [], sets: [] };

function heldIn({ given, sets }: Unions, identity: number): number {
  let bits = 0;
  for (let k = 0; k < sets.length; k++) if (has(sets[k]!, identity)) bits |= given[k]!;
  return bits;
}

/** What one identity holds at a node apart from owning it. */
function withoutOwning(v: View, node: number, identity: number): number {
  const space = spaceOf(v, node);
  if (!has(v.spaces[space]!.allowed, identity)) return 0;
  let bits = 0;
  for (const s of sources(v, node))
    if (s.entry !== 'ownership' && !isInert(v, s, space)) bits |= givenTo(v, s, space, identity);
  return bits;
}

/** Where a number is in a rising list; −1 where it is not. */
function placeOf(list: Int32Array, n: number): number {
  let [from, to] = [0, list.length];
  while (from < to) {
    const mid = (from + to) >>> 1;
    if (list[mid]! < n) from = mid + 1;
    else to = mid;
  }
  return list[from] === n ? from : -1;
}

/** The changes with the owners of one node, before and after, laid over. */
function withOwners(v: View, later: View, node: number, changed: Changed): Changed {
  const item = node - v.org.spaces.length;
  if (item < 0) return changed;
  const owners = [...new Set([v.org.itemOwner[item]!, later.org.itemOwner[item]!])].filter(
    (o) => o >= 0 && has(v.all, o),
  );
  let result = changed;
  for (const owner of owners) {
    const at = result === changed ? placeOf(changed.identities, owner) : result.identities.indexOf(owner);
    const holds = (x: View, told: Uint8Array): number =>
      x.org.itemOwner[item] === owner && has(x.spaces[spaceOf(v, node)]!.allowed, owner) && !isHeld(x, node)
        ? owning(x, node)
        : at >= 0
          ? told[at]!
          : withoutOwning(x, node, owner);
    const same =
      at < 0 &&
      v.org.itemOwner[item] === later.org.itemOwner[item] &&
      isHeld(v, node) === isHeld(later, node) &&
      v.spaces[spaceOf(v, node)] === later.spaces[spaceOf(v, node)];
    if (same) continue;
    const b = holds(v, result.before);
    const a = holds(later, result.after);
    const keep = Array.from(result.identities.keys()).filter((i) => i !== at);
    const more = b === a ? [] : [owner];
    result = {
      identities: Int32Array.from([...keep.map((i) => result.identities[i]!), ...more]),
      before: Uint8Array.from([...keep.map((i) => result.before[i]!), ...more.map(() => b)]),
      after: Uint8Array.from([...keep.map((i) => result.after[i]!), ...more.map(() => a)]),
    };
  }
  return result;
}

interface Altering {
  alteration: Alteration;
  /** The nodes, in rising order, on which something that applies is altered. */
  touched: Int32Array;
  altered: (s: Source) => boolean;
  /** Who is in a group no more, of those that a source names; undefined where more is altered than groups. */
  leavers: (s: Source) => readonly number[][] | undefined;
}

/** The view with changes, and what they alter. */
function altering(v: View, changes: readonly Change[]): Altering {
  const alteration = alter(v, changes);
  const renamed = entriesNaming(v, alteration.groups);
  // asked for every source of every node
  const isAltered = new Uint8Array(v.live.length);
  for (const entries of [alteration.entries, renamed]) for (const e of entries) isAltered[e] = 1;
  const left = new Map<number, number[]>();
  const leaversOf = (g: number): number[] => {
    let list = left.get(g);
    if (!list) {
      list = without(v.groupMembers[g]!, alteration.view.groupMembers[g]!, Infinity)!;
      left.set(g, list);
    }
    return list;
  };
  return {
    alteration,
    touched: touchedBy(v, alteration, renamed),
    altered: ({ entry, at }) =>
      typeof entry === 'number'
        ? isAltered[entry] === 1
        : entry === 'visibility' && alteration.spaces.has(at),
    leavers: ({ entry }) => {
      if (typeof entry !== 'number' || !renamed.has(entry) || alteration.entries.has(entry)) return undefined;
      // whom the space lets in is another matter
      const space = spaceOf(v, v.org.entries.node[entry]!);
      if (v.spaces[space] !== alteration.view.spaces[space]) return undefined;
      return groupsNamed(v, entry).map(leaversOf);
    },
  };
}

/** The groups that a grant or link names. */
function groupsNamed(v: View, entry: number): number[] {
  const { toKind, toNumber } = v.org.entries;
  const found: number[] = [];
  for (let k = toKind.start[entry]!; k < toKind.start[entry + 1]!; k++)
    if (toKind.values[k] === PRINCIPAL.group) found.push(toNumber.values[k]!);
  return found;
}

/**
 * The identities that can do less with some node once changes are made: those of `losersIn(whatIf(…))`, without what
 * else differs. Who was found to lose something is not asked about again. `columns`: the reach of the view.
 */
export function losersOf(v: View, changes: readonly Change[], columns: ReachColumns): Set<number> {
  const done = altering(v, changes);
  const { accessClass, count } = accessClasses(done.alteration.view, done.touched);
  return losersBy(v, done, columns.accessClass, accessClass, count);
}

/** `before`, `after`: access classes of nodes, of which there are `count` after. */
function losersBy(
  v: View,
  { alteration, touched, altered, leavers }: Altering,
  before: Int32Array,
  after: Int32Array,
  count: number,
): Set<number> {
  const later = alteration.view;
  const losers = new Set<number>();
  const known = new Known(v);
  const loses = (i: number): void => {
    losers.add(i);
    add(known.losers, i);
  };
  /** By class before and after: who loses something but on what they own; −1 for nobody. */
  const owners = new Map<number, number>();
  for (const node of touched) {
    const keeps = ownerWith(later, node);
    const pair = before[node]! * count + after[node]!;
    let owner = owners.get(pair);
    if (owner === undefined) {
      owner = -1;
      for (const i of losersAt(v, later, node, { altered, leavers }, known)) {
        if (i === keeps && !(withoutOwning(v, node, i) & ~owning(later, node))) owner = i;
        else loses(i);
      }
      owners.set(pair, owner);
    } else if (owner >= 0 && owner !== keeps) {
      loses(owner);
      owners.set(pair, -1);
    }
    const had = ownerWith(v, node);
    if (had < 0 || has(known.losers, had)) continue;
    const still = had === keeps ? owning(later, node) : 0;
    if (owning(v, node) & ~still & ~withoutOwning(later, node, had)) loses(had);
  }
  return losers;
}

/** Who was found to lose something, and who is left of sets that were asked for. */
class Known {
  readonly losers: Bits;
  /** Who is left of a set where these are not many, or of a list; they become fewer. */
  private readonly left = new Map<Bits | readonly number[], readonly number[]>();

  /** Guests and outsiders of a set; undefined where they are many. */
  private readonly outside = new Map<Bits, readonly number[] | undefined>();
  /** By whom a space lets in: whether every member is among them. */
  private readonly keepsMembers = new Map<Bits, boolean>();

  constructor(private readonly v: View) {
    this.losers = bitsFor(v.identityCount);
  }

  /**
   * Whom of a set a space may shut out: its guests and outsiders, where every member is let in. Undefined where they are
   * many, or some member is not. Few groups have some.
   */
  shutOutOf(set: Bits, is: Bits): readonly number[] | undefined {
    const { members } = this.v;
    let keeps = this.keepsMembers.get(is);
    if (keeps === undefined) {
      keeps = members.every((word, w) => (word & ~(is[w] ?? 0)) === 0);
      this.keepsMembers.set(is, keeps);
    }
    if (!keeps) return undefined;
    if (!this.outside.has(set)) this.outside.set(set, without(set, members, MANY));
    return this.outside.get(set);
  }

  /** Those of a set of whom it is not known that they lose something; undefined where they are many. */
  leftOf(set: Bits): readonly number[] | undefined {
    if (this.left.has(set)) return this.leftOfList(set, []);
    const list = without(set, this.losers, MANY);
    if (list) this.left.set(set, list);
    return list;
  }

  /** The same of a list, or of what is left of it. */
  leftOfList(of: Bits | readonly number[], list: readonly number[]): readonly number[] {
    const before = this.left.get(of) ?? list;
    const still = before.filter((i) => !has(this.losers, i));
    this.left.set(of, still.length < before.length ? still : before);
    return still;
  }
}
const MANY = 64;

/** Who has an item by owning it; −1 where nobody does. */
function ownerWith(v: View, node: number): number {
  const item = node - v.org.spaces.length;
  const owner = item < 0 ? -1 : v.org.itemOwner[item]!;
  return owner >= 0 &&
    has(v.all, owner) &&
    has(v.spaces[spaceOf(v, node)]!.allowed, owner) &&
    !isHeld(v, node)
    ? owner
    : -1;
}

/** Who can do less with a node, owners aside, of those of whom it is not known yet. */
function losersAt(
  v: View,
  later: View,
  node: number,
  { altered, leavers }: Pick<Altering, 'altered' | 'leavers'>,
  known: Known,
): number[] {
  const { arena } = v;
  const { space, was, is, editorsDiffer, gone, fresh, common } = sourcesApart(v, later, node, altered);
  const found: number[] = [];
  const ask = (i: number, held: (x: View, list: readonly Source[]) => number): void => {
    const both = held(v, common);
    const left = has(is, i) ? both | held(later, fresh) : 0;
    if ((both | held(v, gone)) & ~left) found.push(i);
  };
  // of a source that is there later too, and differs by its groups alone, only who left them can lose anything
  const there = new Set(editorsDiffer ? [] : fresh.map((s) => s.entry));
  const left: Altering['leavers'] = (s) => (there.has(s.entry) ? leavers(s) : undefined);
  const few = new Set<number>();
  const isFew =
    addNamed(v, gone, few, known, was, undefined, left) &&
    // what stays is lost by whom the space lets in no more
    (was === is || addNamed(v, common, few, known, was, is));
  if (isFew) {
    for (const i of few) ask(i, (x, list) => list.reduce((bits, s) => bits | givenTo(x, s, space, i), 0));
    return found;
  }
  const unions = new Map<readonly Source[], Unions>([
    [gone, unionsOf(v, gone, space)],
    [common, unionsOf(v, common, space)],
    [fresh, unionsOf(later, fresh, space)],
  ]);
  const named = arena.borrow();
  for (const set of unions.get(gone)!.sets) union(named, set);
  for (let w = 0; w < named.length; w++)
    named[w] = (named[w]! | (was === is ? 0 : was[w]! & ~is[w]!)) & was[w]! & ~known.losers[w]!;
  forEachBoth(named, named, (i) => ask(i, (_, list) => heldIn(unions.get(list)!, i)));
  for (const u of unions.values()) free(v, u);
  arena.giveBack(named);
  return found;
}

/**
 * Adds whom sources name, of those of whom it is not known yet that they lose something: who is let in, and is not in
 * `but`. False where these come to be more than a few. `instead`: whom to ask
 * of a source in place of all that it names.
 */
function addNamed(
  v: View,
  list: readonly Source[],
  found: Set<number>,
  known: Known,
  allowed: Bits,
  but?: Bits,
  instead?: Altering['leavers'],
): boolean {
  const one = (i: number): void => {
    if (i >= 0 && has(allowed, i) && !(but && has(but, i)) && !has(known.losers, i)) found.add(i);
  };
  const all = (set: Bits): void => {
    const left = (but && known.shutOutOf(set, but)) ?? known.leftOf(set);
    if (left) left.forEach(one);
    else
      for (let w = 0; w < set.length && found.size <= FEW; w++)
        forEachIn(set[w]! & allowed[w]! & ~known.losers[w]! & (but ? ~but[w]! : -1), w, (i) => found.add(i));
  };
  for (const source of list) {
    const others = instead?.(source);
    if (others) for (const list of others) known.leftOfList(list, list).forEach(one);
    else namedBy(v, source, one, all);
    if (found.size > FEW) return false;
  }
  return true;
}

/** What changes alter, without what differs where for whom. */
export interface Felt {
  view: View;
  touched: Int32Array;
  /** Identities that can do less with some node. */
  losers: number[];
  /** Reach of the nodes in `touched` with the changes, where it had to be worked out. */
  after?: ReachColumns;
}

/** What changes alter and who can do less then; `columns`: the reach of the view. */
export function felt(v: View, changes: readonly Change[], columns: ReachColumns): Felt {
  const [change] = changes;
  const value = changes.length === 1 && change && 'member' in change ? change.member.value : undefined;
  const identity = value === undefined ? -1 : v.org.find('user', value);
  const done = altering(v, changes);
  if (identity < 0 || v.org.find('group', value!) >= 0) {
    const after = reach(done.alteration.view, done.touched);
    const losers = losersBy(v, done, columns.accessClass, after.accessClass, after.classes.length);
    return { view: done.alteration.view, touched: done.touched, losers: [...losers], after };
  }
  // a membership opens much, but to one identity alone: whether that loses anything is all there is to ask
  const { alteration, touched } = done;
  const loses = touched.some((node) => losesAt(v, alteration.view, node, identity));
  return { view: alteration.view, touched, losers: loses ? [identity] : [] };
}

/** Whether one identity can do less with a node than before. */
function losesAt(v: View, later: View, node: number, identity: number): boolean {
  const held = (x: View): number =>
    ownerWith(x, node) === identity ? owning(x, node) : withoutOwning(x, node, identity);
  return (held(v) & ~held(later)) !== 0;
}

/**
 * What changes alter: per identity and node, and per node's reach. `columns`: the reach of the view
 * where it is known already.
 */
export function whatIf(v: View, changes: readonly Change[], columns?: ReachColumns): Difference {
  const { alteration, touched, altered } = altering(v, changes);
  const later = alteration.view;
  const before = columns ?? reach(v, touched);
  const after = reach(later, touched);

  // nodes of the same class before and after differ in their owners at most
  const memo = new Map<number, { changed: Changed; group: DifferenceGroup }>();
  const groups: DifferenceGroup[] = [];
  for (const node of touched) {
    const pair = before.accessClass[node]! * after.classes.length + after.accessClass[node]!;
    let known = memo.get(pair);
    if (!known) {
      const changed = changesAt(v, later, node, altered);
      memo.set(pair, (known = { changed, group: { nodes: [], ...changed } }));
    }
    const mine = withOwners(v, later, node, known.changed);
    if (mine !== known.changed) {
      if (mine.identities.length) groups.push({ nodes: [node], ...mine });
    } else if (known.changed.identities.length && known.group.nodes.push(node) === 1)
      groups.push(known.group);
  }
  return { view: later, groups, before, after, touched, unknown: alteration.unknown };
}
