/**
 * How far access to each space and item extends. Most items share their access with their folder:
 * what applies is computed once per access class and counted once, with the item's owner laid over.
 */
import { isHiddenDomain } from './addresses.ts';
import { TIERS, type Tier } from '../model.ts';
import {
  add,
  anyBoth,
  bitsFor,
  type Counts,
  countBoth,
  has,
  intersect,
  union,
  unionMany,
  type Bits,
} from './bits.ts';
import { HELD, PRINCIPAL, nodeOfItem, spaceOfNode } from './organisation.ts';
import type { Alike } from './alike.ts';
import { addPrincipal, domainsOf, soleIdentity, type SpaceRules, type View } from './view.ts';

const OUTSIDE = TIERS.indexOf('outside');
const PARTNER = TIERS.indexOf('partner');
const PUBLIC = TIERS.indexOf('public');

const MANAGER = 3;
export const LINK_NAMED = 1;
export const LINK_ORGANISATION = 2;

/** Reach of nodes as columns; nodes are spaces, then items. */
export interface ReachColumns {
  nowTier: Uint8Array;
  couldTier: Uint8Array;
  members: Int32Array;
  guests: Int32Array;
  outsiders: Int32Array;
  couldMembers: Int32Array;
  /** Bit 0: anybody at all now. Bit 1: anybody at all could. */
  anyone: Uint8Array;
  /** Access class of the node: nodes of one class differ in their owners at most. */
  accessClass: Int32Array;
  classes: AccessClass[];
  /** 1 where the item's owner has access by owning it alone. */
  ownerAdds: Uint8Array;
}

export interface AccessClass {
  members: number;
  guests: number;
  outsiders: number;
  couldMembers: number;
  anyoneNow: boolean;
  anyoneCould: boolean;
  /** Some external identity or whole domain reaches it; one that is not a partner's does. */
  external: boolean;
  unexpected: boolean;
  /** Set of indices into `view.domainNames`. */
  identityDomains: Bits;
  /** Whole domains, as indices into `org.domains`. */
  wholeDomains: number[];
}

interface State extends AccessClass {
  number: number;
  bits: Bits;
  organisationLink: boolean;
  /** Files and heavy files of this state, for the tally. */
  files: number;
  heavy: number;
}

/** How many files each identity holds something of: filled while reach is worked out. */
export interface Tally {
  /** By item: 0 no file, 1 a file, 2 a heavy one. */
  counts: Uint8Array;
  /** By identity. */
  files: Int32Array;
  heavy: Int32Array;
}

const emptyState = (v: View): State => ({
  number: -1,
  bits: v.arena.borrow(),
  organisationLink: false,
  files: 0,
  heavy: 0,
  members: 0,
  guests: 0,
  outsiders: 0,
  couldMembers: 0,
  anyoneNow: false,
  anyoneCould: false,
  external: false,
  unexpected: false,
  identityDomains: bitsFor(v.domainNames.length),
  wholeDomains: [],
});

/**
 * What one entry adds for identities in a space with these rules; flags go to `state`. Large groups
 * are put into `large`, to be added together, where it is given.
 */
function applyEntry(v: View, e: number, rules: SpaceRules, state: State, large?: Bits[]): void {
  const { entries, domains } = v.org;
  const type = entries.type[e]!;
  if (type <= LINK_NAMED) {
    const to = entries.toKind.start[e + 1]!;
    for (let i = entries.toKind.start[e]!; i < to; i++) {
      const kind = entries.toKind.values[i]!;
      const number = entries.toNumber.values[i]!;
      if (kind === PRINCIPAL.user || kind === PRINCIPAL.address) {
        addIdentity(v, state, soleIdentity(v, kind, number));
        continue;
      }
      if (kind === PRINCIPAL.anyone && rules.anyoneInert) continue;
      addDomains(v, state.identityDomains, kind, number);
      if (kind === PRINCIPAL.group && large && !v.groupLists[number]) {
        large.push(v.groupMembers[number]!);
        continue;
      }
      if (kind === PRINCIPAL.anyone) {
        state.anyoneNow = state.anyoneCould = true;
      }
      if (
        kind === PRINCIPAL.domain &&
        v.domainStanding[number]! > 0 &&
        rules.wholeDomainsCount &&
        domains[number] &&
        !state.wholeDomains.includes(number)
      )
        state.wholeDomains.push(number);
      addPrincipal(v, state.bits, kind, number);
    }
    return;
  }
  if (type === LINK_ORGANISATION) state.organisationLink = true;
  else if (rules.anyoneInert) return;
  else state.anyoneCould = true;
  forEachRedeemer(v, e, (identity) => addIdentity(v, state, identity));
}

function addIdentity(v: View, state: State, identity: number): void {
  if (identity < 0) return;
  add(state.bits, identity);
  const domain = v.identityDomain[identity]!;
  if (domain >= 0) add(state.identityDomains, domain);
}

/** Adds the domains of the external identities that a principal of many stands for. */
function addDomains(v: View, into: Bits, kind: number, number: number): void {
  if (kind === PRINCIPAL.group) union(into, v.groupDomains[number]!);
  else if (kind === PRINCIPAL.anyone) union(into, domainsOf(v, v.all, v.domainNames.length));
  else if (kind === PRINCIPAL.domain)
    for (const u of v.domainMembers[number]!) if (v.identityDomain[u]! >= 0) add(into, v.identityDomain[u]!);
}

/** What every entry on a node that is in force adds. */
function applyEntries(
  v: View,
  node: number,
  rules: SpaceRules,
  state: State,
  takes: (e: number) => boolean = (e) => v.live[e] === 1,
): void {
  const { first } = v.org.entries;
  const large: Bits[] = [];
  for (let e = first[node]!; e < first[node + 1]!; e++) if (takes(e)) applyEntry(v, e, rules, state, large);
  unionMany(state.bits, large);
}

/** The identities that have redeemed a link by the moment and may hold what it gives. */
export function forEachRedeemer(v: View, e: number, visit: (identity: number) => void): void {
  const { redeemedKind, redeemedNumber, redeemedAt } = v.org.entries;
  const membersOnly = v.org.entries.type[e] === LINK_ORGANISATION;
  for (let i = redeemedKind.start[e]!; i < redeemedKind.start[e + 1]!; i++) {
    if (redeemedAt[i]! > v.moment) continue;
    const identity = soleIdentity(v, redeemedKind.values[i]!, redeemedNumber.values[i]!);
    if (identity >= 0 && (!membersOnly || has(v.members, identity))) visit(identity);
  }
}

/** Adds everybody an entry gives something to now, whatever the space takes away. */
export function addHolders(v: View, into: Bits, e: number): void {
  const { type, toKind, toNumber } = v.org.entries;
  if (type[e]! > LINK_NAMED) return forEachRedeemer(v, e, (i) => add(into, i));
  for (let k = toKind.start[e]!; k < toKind.start[e + 1]!; k++)
    addPrincipal(v, into, toKind.values[k]!, toNumber.values[k]!);
}

/** The tier that holds of these counts (domain.md, Reach). */
function tierOf(v: View, members: number, external: boolean, unexpected: boolean, anyone: boolean): number {
  if (anyone) return PUBLIC;
  if (unexpected) return OUTSIDE;
  if (external) return PARTNER;
  if (v.memberCount > 0 && members >= v.settings.organisationShare * v.memberCount) return 3;
  return members > v.settings.wideAbove ? 2 : members >= 2 ? 1 : 0;
}

/**
 * The reach of every space and item. `only`: the nodes that are wanted, in rising order, all where
 * absent; the rest is left at zero. `progress` is told of spaces done, a hundred at a time; `tally` is
 * added to. `into`: columns that are not needed any more, to be written over where nodes are wanted.
 */
export function reach(
  v: View,
  only?: Int32Array,
  progress?: (done: number, of: number) => void,
  tally?: Tally,
  into?: ReachColumns,
): ReachColumns {
  const { org } = v;
  const nodes = org.spaces.length + org.itemIds.length;
  if (into) into.classes = [];
  const out = into ?? emptyColumns(nodes);
  const spaces = only ? spacesOf(v, only) : org.spaces.map((_, s) => s);
  reachOfSpaces(v, spaces, out, only && { nodes: only, at: 0 }, tally, progress);
  return out;
}

/** The columns by node. */
export const REACH_COLUMNS = [
  'nowTier',
  'couldTier',
  'members',
  'guests',
  'outsiders',
  'couldMembers',
  'anyone',
  'accessClass',
  'ownerAdds',
] as const;

const emptyColumns = (nodes: number): ReachColumns => ({
  nowTier: new Uint8Array(nodes),
  couldTier: new Uint8Array(nodes),
  members: new Int32Array(nodes),
  guests: new Int32Array(nodes),
  outsiders: new Int32Array(nodes),
  couldMembers: new Int32Array(nodes),
  anyone: new Uint8Array(nodes),
  accessClass: new Int32Array(nodes),
  classes: [],
  ownerAdds: new Uint8Array(nodes),
});

function reachOfSpaces(
  v: View,
  spaces: readonly number[],
  out: ReachColumns,
  wanted?: Wanted,
  tally?: Tally,
  progress?: (done: number, of: number) => void,
): void {
  const counts = tally && { files: v.arena.counts(0), heavy: v.arena.counts(1), tally };
  spaces.forEach((s, done) => {
    reachOfSpace(v, s, out, wanted, counts);
    if (progress && done % 100 === 99) progress(done + 1, spaces.length);
  });
  counts?.files.addTo(counts.tally.files);
  counts?.heavy.addTo(counts.tally.heavy);
}

/** Spaces of which so large a share is not alike are all worked out anew. */
const MOSTLY = 0.3;

/**
 * The same as `reach` of all nodes, from that of an earlier view where spaces are alike; `tally` is filled. Undefined where so
 * few are that it is no quicker.
 */
export function reachAgain(
  v: View,
  before: { view: View; columns: ReachColumns; tally: Tally },
  alike: Alike,
  tally: Tally,
  mostly = MOSTLY,
): ReachColumns | undefined {
  const [was, is] = [before.view.org, v.org];
  const [P, S] = [was.spaces.length, is.spaces.length];
  const kept = new Uint8Array(P);
  const others: number[] = [];
  alike.forEach((p, s) => {
    const [from, to] = p < 0 ? [0, 0] : [was.spaceFirst[p]!, is.spaceFirst[s]!];
    let same = p >= 0;
    for (let k = is.spaceFirst[s + 1]! - to; same && k-- > 0;)
      same = before.tally.counts[from + k] === tally.counts[to + k];
    if (same) kept[p] = 1;
    else others.push(s);
  });
  if (others.length > mostly * S) return undefined;
  const other = new Set(others);
  const out = emptyColumns(S + is.itemIds.length);
  const number = new Int32Array(before.columns.classes.length).fill(-1);
  const take = (from: number, to: number, count: number): void => {
    for (const k of REACH_COLUMNS) out[k].set(before.columns[k].subarray(from, from + count), to);
    for (let n = to; n < to + count; n++) {
      const cls = out.accessClass[n]!;
      if (number[cls]! < 0) number[cls] = out.classes.push(before.columns.classes[cls]!) - 1;
      out.accessClass[n] = number[cls]!;
    }
  };
  alike.forEach((p, s) => {
    if (other.has(s)) return;
    take(p, s, 1);
    take(P + was.spaceFirst[p]!, S + is.spaceFirst[s]!, was.spaceFirst[p + 1]! - was.spaceFirst[p]!);
  });
  tally.files.set(before.tally.files);
  tally.heavy.set(before.tally.heavy);
  // what they held goes, and what they hold comes
  const gone: Tally = {
    counts: before.tally.counts,
    files: new Int32Array(tally.files.length),
    heavy: new Int32Array(tally.files.length),
  };
  const spacesGone = [...kept.keys()].filter((p) => !kept[p]);
  reachOfSpaces(before.view, spacesGone, emptyColumns(P + was.itemIds.length), undefined, gone);
  for (let i = 0; i < tally.files.length; i++) {
    tally.files[i]! -= gone.files[i]!;
    tally.heavy[i]! -= gone.heavy[i]!;
  }
  reachOfSpaces(v, others, out, undefined, tally);
  return out;
}

/** A tally, and what is in it of whole sets of identities. */
interface Counting {
  tally: Tally;
  files: Counts;
  heavy: Counts;
}

/** The nodes that are wanted, in rising order, and how far they are done. */
interface Wanted {
  nodes: Int32Array;
  at: number;
}

function reachOfSpace(v: View, s: number, out: ReachColumns, wanted?: Wanted, counting?: Counting): void {
  const { org, arena } = v;
  const done = (state: State): void => {
    counting?.files.add(state.bits, state.files);
    counting?.heavy.add(state.bits, state.heavy);
    arena.giveBack(state.bits);
  };
  const rules = v.spaces[s]!;
  const top = emptyState(v);
  if (org.spaces[s]!.visibility === 'organisation') union(top.bits, v.members);
  applyEntries(v, s, rules, top);
  settle(v, top, rules, out);
  put(v, s, -1, top, rules, out);

  walkSpace<State>(v, s, wanted, {
    top,
    /** Manager and owner grants made on the space itself. */
    pastBreak: () => {
      const state = emptyState(v);
      applyEntries(v, s, rules, state, (e) => reachesPastBreaks(v, e));
      return settle(v, state, rules, out);
    },
    nobody: () => settle(v, emptyState(v), rules, out),
    with: (above, node) => {
      const bits = arena.borrow();
      bits.set(above.bits);
      const state = {
        ...above,
        number: -1,
        bits,
        files: 0,
        heavy: 0,
        wholeDomains: above.wholeDomains.slice(),
        identityDomains: above.identityDomains.slice(),
      };
      applyEntries(v, node, rules, state);
      return settle(v, state, rules, out);
    },
    at: (item, state, held) => {
      const node = nodeOfItem(org, item);
      put(v, node, held ? -1 : org.itemOwner[item]!, state, rules, out);
      const tally = counting?.tally;
      if (!tally?.counts[item]) return;
      const heavy = tally.counts[item] - 1;
      state.files++;
      state.heavy += heavy;
      if (out.ownerAdds[node]) {
        tally.files[org.itemOwner[item]!]!++;
        tally.heavy[org.itemOwner[item]!]! += heavy;
      }
    },
    done,
  });
}

/** What a walk through a space carries from each folder to what is in it. */
interface Carried<T> {
  top: T;
  /** What is left below a break. */
  pastBreak: () => T;
  /** What is left in quarantine. */
  nobody: () => T;
  /** What is carried on from a node with entries in force of its own. */
  with: (above: T, node: number) => T;
  /** Called for each item that is wanted, or has some below it that is. */
  at: (item: number, carried: T, held: boolean) => void;
  /** Called once for each value when nothing below needs it any more. */
  done: (carried: T) => void;
}

/** Walks through a space's items in their order; values live only as long as their folder is being walked. */
export function walkSpace<T>(v: View, s: number, wanted: Wanted | undefined, c: Carried<T>): void {
  const { org } = v;
  let pastBreak: T | undefined;
  let nobody: T | undefined;
  const last = org.spaceFirst[s + 1]!;
  const stack: { carried: T; end: number; own: boolean }[] = [{ carried: c.top, end: last, own: true }];
  const { first } = org.entries;
  for (let item = org.spaceFirst[s]!; item < last; item++) {
    let frame = stack[stack.length - 1]!;
    while (frame.end <= item) {
      if (frame.own) c.done(frame.carried);
      stack.pop();
      frame = stack[stack.length - 1]!;
    }
    const node = nodeOfItem(org, item);
    if (wanted) {
      while (wanted.at < wanted.nodes.length && wanted.nodes[wanted.at]! < node) wanted.at++;
      const next = wanted.at < wanted.nodes.length ? wanted.nodes[wanted.at]! : Infinity;
      if (next >= nodeOfItem(org, org.itemEnd[item]!)) {
        item = org.itemEnd[item]! - 1;
        continue;
      }
    }
    const held = (org.itemBreaks[item]! & HELD) > 0;
    let carried = held
      ? (nobody ??= c.nobody())
      : org.itemBreaks[item]
        ? (pastBreak ??= c.pastBreak())
        : frame.carried;
    let own = false;
    for (let e = first[node]!; e < first[node + 1]! && !own; e++) own = v.live[e] === 1;
    if (own) carried = c.with(carried, node);
    c.at(item, carried, held);
    const end = org.itemEnd[item]!;
    if (end > item + 1) stack.push({ carried, end, own });
    else if (own) c.done(carried);
  }
  for (const { carried, own } of stack) if (own) c.done(carried);
  if (pastBreak !== undefined) c.done(pastBreak);
  if (nobody !== undefined) c.done(nobody);
}

/** The access classes of some nodes, in rising order: those of `reach`, under other numbers, without what they come to. */
export function accessClasses(
  v: View,
  only: Int32Array,
): Pick<ReachColumns, 'accessClass'> & { count: number } {
  const { org } = v;
  const accessClass = new Int32Array(org.spaces.length + org.itemIds.length);
  const wanted = { nodes: only, at: 0 };
  let count = 0;
  const fresh = (): number => count++;
  for (const s of spacesOf(v, only)) {
    const top = (accessClass[s] = fresh());
    walkSpace<number>(v, s, wanted, {
      top,
      pastBreak: fresh,
      nobody: fresh,
      with: fresh,
      at: (item, number) => (accessClass[nodeOfItem(org, item)] = number),
      done: () => undefined,
    });
  }
  return { accessClass, count };
}

/** The spaces of some nodes, in rising order. */
const spacesOf = (v: View, nodes: Int32Array): number[] =>
  [...new Set(Array.from(nodes, (n) => spaceOfNode(v.org, n)))].sort((a, b) => a - b);

/** Whether an entry on a space reaches through every break below it. */
export const reachesPastBreaks = (v: View, e: number): boolean =>
  v.live[e] === 1 && v.org.entries.type[e] === 0 && v.org.entries.role[e]! >= MANAGER;

/** Takes away what the space's rules take away, and counts. */
function count(v: View, state: State, rules: SpaceRules): void {
  const { bits } = state;
  const { allowed } = rules;
  if (rules.shutsOut) intersect(bits, allowed);
  const { memberRows, users } = v.org;
  const guests = countBoth(bits, v.guests, memberRows);
  const outsiders = countBoth(bits, v.outside, users.length);
  state.members = countBoth(bits, v.members, 0, memberRows);
  state.outsiders = outsiders;
  state.guests = guests;
  state.couldMembers = state.organisationLink ? countBoth(allowed, v.members) : state.members;
  // what the space shuts out has no say in the domains either
  if (rules.shutsOut) state.identityDomains = domainsOf(v, bits, v.domainNames.length);
  state.external = guests + outsiders + state.wholeDomains.length > 0;
  state.unexpected = isUnexpected(v, state);
}

const isUnexpected = (
  v: View,
  { identityDomains, wholeDomains }: Pick<AccessClass, 'identityDomains' | 'wholeDomains'>,
): boolean =>
  anyBoth(identityDomains, v.unexpectedDomains) || wholeDomains.some((d) => v.domainStanding[d] === 2);

/** The reach of all nodes where other domains are partners' (`withPartners`): what is counted stays, and tiers follow anew. */
export function tiersAgain(v: View, columns: ReachColumns): ReachColumns {
  const classes = columns.classes.map((c) => ({ ...c, unexpected: isUnexpected(v, c) }));
  const S = v.org.spaces.length;
  const nowTier = new Uint8Array(columns.nowTier.length);
  const couldTier = new Uint8Array(nowTier.length);
  for (let node = 0; node < nowTier.length; node++) {
    let { external, unexpected } = classes[columns.accessClass[node]!]!;
    const owner = columns.ownerAdds[node] ? v.org.itemOwner[node - S]! : -1;
    if (owner >= 0 && !has(v.members, owner)) {
      external = true;
      unexpected ||= has(v.unexpected, owner);
    }
    const anyone = columns.anyone[node]!;
    nowTier[node] = tierOf(v, columns.members[node]!, external, unexpected, (anyone & 1) > 0);
    couldTier[node] = tierOf(v, columns.couldMembers[node]!, external, unexpected, (anyone & 2) > 0);
  }
  return { ...columns, classes, nowTier, couldTier };
}

/** Counts a state and makes it a class. */
function settle(v: View, state: State, rules: SpaceRules, out: ReachColumns): State {
  count(v, state, rules);
  const {
    bits: _bits,
    number: _number,
    organisationLink: _link,
    files: _files,
    heavy: _heavy,
    ...summary
  } = state;
  state.number = out.classes.push({ ...summary, wholeDomains: [...summary.wholeDomains] }) - 1;
  return state;
}

function put(v: View, node: number, owner: number, state: State, rules: SpaceRules, out: ReachColumns): void {
  let { members, guests, couldMembers, external, unexpected } = state;
  if (owner >= 0 && has(v.all, owner) && has(rules.allowed, owner) && !has(state.bits, owner)) {
    out.ownerAdds[node] = 1;
    if (has(v.members, owner)) {
      members++;
      if (!state.organisationLink) couldMembers++;
    } else {
      guests++;
      external = true;
      unexpected ||= has(v.unexpected, owner);
    }
  }
  out.accessClass[node] = state.number;
  out.members[node] = members;
  out.guests[node] = guests;
  out.outsiders[node] = state.outsiders;
  out.couldMembers[node] = couldMembers;
  out.anyone[node] = (state.anyoneNow ? 1 : 0) | (state.anyoneCould ? 2 : 0);
  out.nowTier[node] = tierOf(v, members, external, unexpected, state.anyoneNow);
  out.couldTier[node] = tierOf(v, couldMembers, external, unexpected, state.anyoneCould);
}

interface Tiers {
  now: number;
  could: number;
}
/**
 * Tiers of a grant to a group, by its set and that of those let in. What is not altered is shared with the
 * view before; who the members are, and who is unexpected, is the same in those that share both.
 */
const ofGroups = new WeakMap<Bits, WeakMap<Bits, WeakMap<Bits, Map<Bits, Tiers>>>>();
const memo = <K extends object, V>(map: WeakMap<K, V>, key: K, make: () => V): V => {
  let value = map.get(key);
  if (value === undefined) map.set(key, (value = make()));
  return value;
};

/** The tiers that one source would have by itself, for identities its space lets in. */
export function reachOfSource(v: View, entry: number | 'visibility', space: number): Tiers {
  const rules = v.spaces[space]!;
  const { type, toKind, toNumber } = v.org.entries;
  let known: Map<Bits, Tiers> | undefined;
  if (entry !== 'visibility' && type[entry]! <= LINK_NAMED) {
    const at = toKind.start[entry]!;
    const kind = toKind.values[at]!;
    const alone = toKind.start[entry + 1]! === at + 1;
    // most name one person, or one group: neither needs a set
    if (alone && (kind === PRINCIPAL.user || kind === PRINCIPAL.address)) {
      const i = soleIdentity(v, kind, toNumber.values[at]!);
      const held = i >= 0 && has(rules.allowed, i);
      const member = held && has(v.members, i);
      const tier = tierOf(v, member ? 1 : 0, held && !member, held && !member && has(v.unexpected, i), false);
      return { now: tier, could: tier };
    }
    if (alone && kind === PRINCIPAL.group) {
      const byUnexpected = memo(
        ofGroups,
        v.members,
        () => new WeakMap<Bits, WeakMap<Bits, Map<Bits, Tiers>>>(),
      );
      const bySet = memo(byUnexpected, v.unexpected, () => new WeakMap<Bits, Map<Bits, Tiers>>());
      known = memo(bySet, v.groupMembers[toNumber.values[at]!]!, () => new Map<Bits, Tiers>());
      const tiers = known.get(rules.allowed);
      if (tiers) return tiers;
    }
  }
  const state = emptyState(v);
  if (entry === 'visibility') union(state.bits, v.members);
  else applyEntry(v, entry, rules, state);
  count(v, state, rules);
  v.arena.giveBack(state.bits);
  const tiers = {
    now: tierOf(v, state.members, state.external, state.unexpected, state.anyoneNow),
    could: tierOf(v, state.couldMembers, state.external, state.unexpected, state.anyoneCould),
  };
  known?.set(rules.allowed, tiers);
  return tiers;
}

export interface ReachSummary {
  tier: Tier;
  members: number;
  guests: number;
  outsiders: number;
  anyone: boolean;
  /** Domains of the guests and outsiders, and whole domains, that reach it; sorted. */
  domains: string[];
}

/** Domains by name, as indices into a view's `domainNames`; and the names of a class's. */
const inOrder = new WeakMap<readonly string[], number[]>();
const namesOf = new WeakMap<AccessClass, string[]>();

/** The domains of those from outside whom a class lets in, and whole ones; sorted. */
function domainNamesOf({ domainNames, org }: View, { identityDomains, wholeDomains }: AccessClass): string[] {
  const order = memo(inOrder, domainNames, () =>
    [...domainNames.keys()].sort((a, b) => (domainNames[a]! < domainNames[b]! ? -1 : 1)),
  );
  const names: string[] = [];
  for (const d of order) {
    const name = domainNames[d];
    if (name && has(identityDomains, d) && !isHiddenDomain(name)) names.push(name);
  }
  const whole = wholeDomains.map((d) => org.domains[d]!).filter((name) => name && !names.includes(name));
  return whole.length ? [...names, ...whole].sort() : names;
}

/** The reach of one node, from columns made for its space, in the form that interfaces give. */
export function reachOf(
  v: View,
  columns: ReachColumns,
  node: number,
): { now: ReachSummary; could: ReachSummary } {
  const cls = columns.classes[columns.accessClass[node]!]!;
  const owner = columns.ownerAdds[node] ? v.org.itemOwner[node - v.org.spaces.length]! : -1;
  const theirs = v.domainNames[v.identityDomain[owner] ?? -1];
  const domains = memo(namesOf, cls, () => domainNamesOf(v, cls));
  const common = {
    guests: columns.guests[node]!,
    outsiders: columns.outsiders[node]!,
    domains: theirs && !domains.includes(theirs) ? [...domains, theirs].sort() : domains,
  };
  return {
    now: {
      tier: TIERS[columns.nowTier[node]!]!,
      members: columns.members[node]!,
      anyone: (columns.anyone[node]! & 1) > 0,
      ...common,
    },
    could: {
      tier: TIERS[columns.couldTier[node]!]!,
      members: columns.couldMembers[node]!,
      anyone: (columns.anyone[node]! & 2) > 0,
      ...common,
    },
  };
}
