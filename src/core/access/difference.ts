/** What a set of changes would alter, per identity and node, without touching anything. */
import { countBoth, forEachBoth, has, intersect, union } from './bits.ts';
import { alter, type Alteration, type Change } from './change.ts';
import { GrowInt32, listsBy, type Lists } from './growable.ts';
import { itemsBelow, PRINCIPAL } from './organisation.ts';
import {
  free,
  givenTo,
  isHeld,
  isInert,
  roleOf,
  sources,
  spaceOf,
  unionsOf,
  type Source,
  type Unions,
} from './questions.ts';
import { reach, type ReachColumns } from './reach.ts';
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
const OWNER = 255;

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

/**
 * Whose capabilities at a node differ, owners aside. Only whom the altered sources name, and whom the
 * space treats otherwise, can differ, so only they are looked at.
 */
function changesAt(v: View, later: View, node: number, altered: (s: Source) => boolean): Changed {
  const space = spaceOf(v, node);
  const was = v.spaces[space]!.allowed;
  const is = later.spaces[space]!.allowed;
  const shares = (x: View): boolean => x.org.spaces[space]!.editorsShare !== false;
  const editorsDiffer = shares(v) !== shares(later);
  const giving = (x: View): Source[] =>
    sources(x, node).filter((s) => s.entry !== 'ownership' && !isInert(x, s, space));
  const left = giving(v);
  const right = giving(later);
  const stays = (s: Source): boolean => !altered(s) && !(editorsDiffer && roleOf(v, s) === 'editor');
  const onRight = new Set(right.map((s) => s.entry));
  const common = left.filter((s) => onRight.has(s.entry) && stays(s));
  const kept = new Set(common.map((s) => s.entry));
  const { arena } = v;
  const gone = unionsOf(
    v,
    left.filter((s) => !kept.has(s.entry)),
    space,
  );
  const fresh = unionsOf(
    later,
    right.filter((s) => !kept.has(s.entry)),
    space,
  );
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
        ? OWNER
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

/** The view with changes, and the nodes, in rising order, on which something that applies is altered by them. */
function altering(
  v: View,
  changes: readonly Change[],
): { alteration: Alteration; renamed: ReadonlySet<number>; touched: Int32Array } {
  const alteration = alter(v, changes);
  const renamed = entriesNaming(v, alteration.groups);
  return { alteration, renamed, touched: touchedBy(v, alteration, renamed) };
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
  if (identity < 0 || v.org.find('group', value!) >= 0) {
    const d = whatIf(v, changes, columns);
    return { view: d.view, touched: d.touched, losers: [...losersIn(d)], after: d.after };
  }
  // a membership opens much, but to one identity alone: whether that loses anything is all there is to ask
  const { alteration, touched } = altering(v, changes);
  const loses = touched.some((node) => losesAt(v, alteration.view, node, identity));
  return { view: alteration.view, touched, losers: loses ? [identity] : [] };
}

/** Whether one identity can do less with a node than before. */
function losesAt(v: View, later: View, node: number, identity: number): boolean {
  const item = node - v.org.spaces.length;
  const held = (x: View): number =>
    item >= 0 &&
    x.org.itemOwner[item] === identity &&
    has(x.spaces[spaceOf(x, node)]!.allowed, identity) &&
    !isHeld(x, node)
      ? OWNER
      : withoutOwning(x, node, identity);
  return (held(v) & ~held(later)) !== 0;
}

/**
 * What changes alter: per identity and node, and per node's reach. `columns`: the reach of the view
 * where it is known already.
 */
export function whatIf(v: View, changes: readonly Change[], columns?: ReachColumns): Difference {
  const { alteration, renamed, touched } = altering(v, changes);
  const later = alteration.view;
  const before = columns ?? reach(v, touched);
  const after = reach(later, touched);
  const altered = ({ entry, at }: Source): boolean =>
    typeof entry === 'number'
      ? alteration.entries.has(entry) || renamed.has(entry)
      : entry === 'visibility' && alteration.spaces.has(at);

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
