/** Who can do what with a node, by which routes, and what keeps someone out. */
import { bitsIn, CAP, ROLES, type Role } from '../model.ts';
import { add, bitsFor, forEachBoth, forEachIn, has, union, unionMany, type Bits } from './bits.ts';
import { BREAKS, HELD, parentNode, PRINCIPAL, spaceOfNode, type Organisation } from './organisation.ts';
import { addHolders, forEachRedeemer, LINK_NAMED, reachesPastBreaks } from './reach.ts';
import { addPrincipal, soleIdentity, type View } from './view.ts';

/** A source of access to a node: an entry, the space's visibility, or owning the item. */
export interface Source {
  /** The entry's number, or what else it is. */
  entry: number | 'visibility' | 'ownership';
  /** The node on which it is made. */
  at: number;
  /** The node asked about, and how many nodes it comes down by, both included. */
  node: number;
  steps: number;
}

/** The nodes that a source comes down by, from where it is made to the node asked about. */
export function nodesDown(org: Organisation, { node, steps }: Pick<Source, 'node' | 'steps'>): number[] {
  const nodes = new Array<number>(steps);
  for (let k = steps - 1, at = node; k >= 0; k--, at = parentNode(org, at)) nodes[k] = at;
  return nodes;
}

/** Everything that applies to a node, nearest first. */
export function sources(v: View, node: number): Source[] {
  const { org } = v;
  const S = org.spaces.length;
  const found: Source[] = [];
  if (isHeld(v, node)) return found;
  if (node >= S && org.itemOwner[node - S]! >= 0)
    found.push({ entry: 'ownership', at: node, node, steps: 1 });
  let broken = false;
  for (let at = node, steps = 1; ; at = parentNode(org, at), steps++) {
    const space = at < S;
    if (!broken || space)
      for (let e = org.entries.first[at]!; e < org.entries.first[at + 1]!; e++)
        if (v.live[e] && (!broken || reachesPastBreaks(v, e))) found.push({ entry: e, at, node, steps });
    if (space) {
      if (!broken && org.spaces[at]!.visibility === 'organisation')
        found.push({ entry: 'visibility', at, node, steps });
      return found;
    }
    if (org.itemBreaks[at - S]! & BREAKS) broken = true;
  }
}

/** Whether a node is in quarantine, or below what is. */
export const isHeld = (v: View, node: number): boolean =>
  node >= v.org.spaces.length && (v.org.itemBreaks[node - v.org.spaces.length]! & HELD) > 0;

export const spaceOf = (v: View, node: number): number => spaceOfNode(v.org, node);

/** The role a source gives. */
export function roleOf(v: View, source: Source): Role {
  if (source.entry === 'ownership') return 'owner';
  if (source.entry === 'visibility') return v.org.spaces[source.at]!.visibilityRole ?? 'reader';
  return ROLES[v.org.entries.role[source.entry]!]!;
}

/** The capability bits that a source gives in a space. */
function bitsOf(v: View, source: Source, space: number): number {
  return typeof source.entry === 'number'
    ? entryBits(v, source.entry, space)
    : bitsIn(v.org.spaces[space]!, roleOf(v, source));
}

/** What an entry gives in a space. */
export const entryBits = ({ org }: View, e: number, space: number): number =>
  bitsIn(org.spaces[space]!, ROLES[org.entries.role[e]!]!, org.entries.noCopies[e] === 1);

/** Calls `visit` with each identity a source gives something to, and the capability bits it gives. */
function forEachHolder(
  v: View,
  source: Source,
  space: number,
  visit: (identity: number, bits: number) => void,
): void {
  const bits = bitsOf(v, source, space);
  if (source.entry === 'ownership') {
    const owner = v.org.itemOwner[source.at - v.org.spaces.length]!;
    if (has(v.all, owner)) visit(owner, bits);
    return;
  }
  if (source.entry === 'visibility') {
    forEachBoth(v.members, v.members, (i) => visit(i, bits));
    return;
  }
  const e = source.entry;
  const { entries } = v.org;
  const link = entries.type[e]!;
  if (link > LINK_NAMED) {
    forEachRedeemer(v, e, (i) => visit(i, bits));
    return;
  }
  const holders = bitsFor(v.identityCount);
  addHolders(v, holders, e);
  if (link === 0) forEachBoth(holders, holders, (i) => visit(i, bits));
  else {
    // behind a link alone, search does not find it until that person has redeemed the link
    const redeemed = bitsFor(v.identityCount);
    forEachRedeemer(v, e, (i) => (redeemed[i >>> 5]! |= 1 << (i & 31)));
    forEachBoth(holders, holders, (i) => visit(i, has(redeemed, i) ? bits : bits & ~CAP.find));
  }
}

/** The capability bits that one source gives to one identity, before what the space takes away. */
export function givenTo(v: View, source: Source, space: number, identity: number): number {
  const bits = bitsOf(v, source, space);
  if (source.entry === 'ownership')
    return v.org.itemOwner[source.at - v.org.spaces.length] === identity && has(v.all, identity) ? bits : 0;
  if (source.entry === 'visibility') return has(v.members, identity) ? bits : 0;
  const link = v.org.entries.type[source.entry]!;
  if (link > LINK_NAMED) return hasRedeemed(v, source.entry, identity) ? bits : 0;
  if (!namesIdentity(v, source.entry, identity)) return 0;
  return link === LINK_NAMED && !hasRedeemed(v, source.entry, identity) ? bits & ~CAP.find : bits;
}

/** Whether a principal stands for an identity. */
export function standsFor(v: View, kind: number, number: number, identity: number): boolean {
  switch (kind) {
    case PRINCIPAL.group:
      return has(v.groupMembers[number]!, identity);
    case PRINCIPAL.everyone:
      return has(v.members, identity);
    case PRINCIPAL.domain:
      return v.domainMembers[number]!.includes(identity);
    case PRINCIPAL.anyone:
      return has(v.all, identity);
    default:
      return soleIdentity(v, kind, number) === identity;
  }
}

/** Whether an entry's grantees or recipients take an identity in. */
export function namesIdentity(v: View, e: number, identity: number): boolean {
  const { toKind, toNumber } = v.org.entries;
  for (let i = toKind.start[e]!; i < toKind.start[e + 1]!; i++)
    if (standsFor(v, toKind.values[i]!, toNumber.values[i]!, identity)) return true;
  return false;
}

export function hasRedeemed(v: View, e: number, identity: number): boolean {
  let found = false;
  forEachRedeemer(v, e, (i) => (found ||= i === identity));
  return found;
}

/** Whether a source gives nothing to anybody because its space lets nothing for anyone in. */
export function isInert(v: View, source: Source, space: number): boolean {
  return typeof source.entry === 'number' && v.spaces[space]!.anyoneInert && isInertEntry(v, source.entry);
}

/** Whether an entry is for anyone, so that it gives nothing where that is shut out. */
export function isInertEntry(v: View, e: number): boolean {
  const { type, toKind } = v.org.entries;
  return type[e] === 3 || (type[e] === 0 && toKind.values[toKind.start[e]!] === PRINCIPAL.anyone);
}

/** Capability bits given, and beside each the set of those it is given to. */
export interface Unions {
  given: number[];
  sets: Bits[];
}

/**
 * The identities that some sources give something to, put together by the capability bits given:
 * there are few different ones, so that a large group costs a union and not a visit to each member.
 * The sets are borrowed from the view's arena: call `free` when done with them.
 */
export function unionsOf(v: View, list: readonly Source[], space: number): Unions {
  const unions = new Map<number, Bits>();
  const large = new Map<number, Bits[]>();
  const of = (bits: number): Bits => {
    let set = unions.get(bits);
    if (!set) {
      unions.set(bits, (set = v.arena.borrow()));
      large.set(bits, []);
    }
    return set;
  };
  const { entries } = v.org;
  for (const source of list) {
    const { entry } = source;
    if (typeof entry !== 'number' || entries.type[entry] !== 0) {
      if (entry === 'visibility') union(of(bitsOf(v, source, space)), v.members);
      else forEachHolder(v, source, space, (i, bits) => add(of(bits), i));
      continue;
    }
    const given = bitsOf(v, source, space);
    const set = of(given);
    for (let i = entries.toKind.start[entry]!; i < entries.toKind.start[entry + 1]!; i++) {
      const kind = entries.toKind.values[i]!;
      const number = entries.toNumber.values[i]!;
      if (kind === PRINCIPAL.group && !v.groupLists[number]) large.get(given)!.push(v.groupMembers[number]!);
      else addPrincipal(v, set, kind, number);
    }
  }
  for (const [bits, sets] of large) unionMany(unions.get(bits)!, sets);
  return { given: [...unions.keys()], sets: [...unions.values()] };
}

export function free(v: View, { sets }: Unions): void {
  for (const set of sets) v.arena.giveBack(set);
}

/** Capability bits by identity at a node, before what the space takes away. */
function granted(v: View, node: number, owner = true): Uint8Array {
  const space = spaceOf(v, node);
  const bits = new Uint8Array(v.identityCount);
  const list = sources(v, node).filter((s) => (owner || s.entry !== 'ownership') && !isInert(v, s, space));
  const unions = unionsOf(v, list, space);
  unions.sets.forEach((set, k) => {
    const given = unions.given[k]!;
    forEachBoth(set, v.all, (i) => (bits[i]! |= given));
  });
  free(v, unions);
  return bits;
}

/** Calls `one` with each identity that a source names by itself, and `all` with each larger set that it names. */
export function namedBy(
  v: View,
  { entry, at }: Source,
  one: (identity: number) => void,
  all: (set: Bits) => void,
): void {
  if (entry === 'visibility') return all(v.members);
  if (entry === 'ownership') return one(v.org.itemOwner[at - v.org.spaces.length]!);
  const { type, toKind, toNumber } = v.org.entries;
  if (type[entry]! > LINK_NAMED) return forEachRedeemer(v, entry, one);
  for (let k = toKind.start[entry]!; k < toKind.start[entry + 1]!; k++) {
    const [kind, n] = [toKind.values[k]!, toNumber.values[k]!];
    if (kind === PRINCIPAL.group) {
      const list = v.groupLists[n];
      if (list) list.forEach(one);
      else all(v.groupMembers[n]!);
    } else if (kind === PRINCIPAL.everyone) all(v.members);
    else if (kind === PRINCIPAL.domain) v.domainMembers[n]!.forEach(one);
    else if (kind === PRINCIPAL.anyone) all(v.all);
    else one(soleIdentity(v, kind, n));
  }
}

/**
 * Adds to `found`, until it has `most`, identities of a set who can do something with a node other than by owning it.
 * `apart`: sets that are known to have nobody of it; those that are found are added.
 */
export function someHolders(
  v: View,
  node: number,
  among: Bits,
  apart: Set<Bits>,
  found: Set<number>,
  most: number,
): void {
  const space = spaceOf(v, node);
  const { allowed } = v.spaces[space]!;
  const one = (i: number): void => {
    if (i >= 0 && found.size < most && has(among, i) && has(allowed, i) && has(v.all, i)) found.add(i);
  };
  const all = (set: Bits): void => {
    if (apart.has(set)) return;
    let none = true;
    for (let w = 0; w < set.length && found.size < most; w++)
      if (set[w]! & among[w]!) {
        none = false;
        forEachIn(set[w]! & among[w]!, w, one);
      }
    if (none) apart.add(set);
  };
  for (const source of sources(v, node)) {
    if (source.entry === 'ownership' || isInert(v, source, space)) continue;
    namedBy(v, source, one, all);
    if (found.size >= most) return;
  }
}

/** Capability bits by identity at a node (index: identity number). */
export function who(v: View, node: number, owner = true): Uint8Array {
  const bits = granted(v, node, owner);
  const { allowed } = v.spaces[spaceOf(v, node)]!;
  for (let i = 0; i < bits.length; i++) if (bits[i] && !has(allowed, i)) bits[i] = 0;
  return bits;
}

/** Capability bits of one identity at a node. */
export function can(v: View, node: number, identity: number): number {
  const space = spaceOf(v, node);
  if (!has(v.all, identity) || !has(v.spaces[space]!.allowed, identity)) return 0;
  let bits = 0;
  for (const s of sources(v, node)) if (!isInert(v, s, space)) bits |= givenTo(v, s, space, identity);
  return bits;
}

export interface Route {
  role: Role;
  /** The capability bits that this route alone gives. */
  bits: number;
  /** Groups passed through, the innermost (of which the identity is a member) first. */
  groups: number[];
  /** Everyone, a whole domain, or anyone, where the source names them. */
  as?: 'everyone' | 'domain' | 'anyone' | 'redeemed';
  source: Source;
}

/** What a space takes away by: in the bin it takes everything. */
export type Withholding = 'external-sharing' | 'gate' | 'bin';

export interface Why {
  /** What the identity can do. */
  bits: number;
  /** Every route that gives something, the shortest first. */
  routes: Route[];
  /** What was taken away, and by which rule of the space. */
  withheld: { by: Withholding; bits: number }[];
}

/** How one identity comes to reach a node, and what keeps it from more. */
export function why(v: View, identity: number, node: number): Why {
  const space = spaceOf(v, node);
  const rules = v.spaces[space]!;
  const routes: Route[] = [];
  const closed = v.org.spaces[space]!.binned ? 'bin' : 'gate';
  let bits = 0;
  let inert = 0;
  for (const source of sources(v, node)) {
    const given = givenTo(v, source, space, identity);
    if (!given) continue;
    if (isInert(v, source, space)) {
      inert |= given;
      continue;
    }
    bits |= given;
    for (const way of ways(v, identity, source))
      routes.push({ role: roleOf(v, source), bits: given, source, ...way });
  }
  const length = (r: Route): number => r.groups.length + (r.as ? 1 : 0) + r.source.steps;
  routes.sort((a, b) => length(a) - length(b));
  const withheld: Why['withheld'] = [];
  if (inert & ~bits)
    withheld.push({ by: v.org.external[space]! > 0 ? 'external-sharing' : closed, bits: inert & ~bits });
  if (bits && !has(rules.shared, identity)) {
    withheld.push({ by: 'external-sharing', bits });
    bits = 0;
  }
  if (bits && rules.gate && !has(rules.gate, identity)) {
    withheld.push({ by: closed, bits });
    bits = 0;
  }
  return { bits, routes, withheld };
}

/** No more than this many ways through nested groups are listed for one grant. */
const MOST_WAYS = 50;

/** The ways in which a source comes to name an identity, each once. */
function ways(v: View, identity: number, source: Source): Pick<Route, 'groups' | 'as'>[] {
  if (source.entry === 'ownership') return [{ groups: [] }];
  if (source.entry === 'visibility') return [{ groups: [], as: 'everyone' }];
  const { entries } = v.org;
  const e = source.entry;
  if (entries.type[e]! > 1) return [{ groups: [], as: 'redeemed' }];
  const found: Pick<Route, 'groups' | 'as'>[] = [];
  for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++) {
    const kind = entries.toKind.values[i]!;
    const number = entries.toNumber.values[i]!;
    if (kind === PRINCIPAL.group)
      found.push(...membershipWays(v, identity, number).map((groups) => ({ groups })));
    else if (kind === PRINCIPAL.everyone && has(v.members, identity))
      found.push({ groups: [], as: 'everyone' });
    else if (kind === PRINCIPAL.domain && v.domainMembers[number]!.includes(identity))
      found.push({ groups: [], as: 'domain' });
    else if (kind === PRINCIPAL.anyone) found.push({ groups: [], as: 'anyone' });
    else if (soleIdentity(v, kind, number) === identity) found.push({ groups: [] });
  }
  // somebody may be named by account and by address
  return [...new Map(found.map((w) => [`${w.as} ${w.groups.join()}`, w])).values()];
}

/** A chain of groups, by its last and the chain before it. */
interface Chain {
  group: number;
  before: Chain | undefined;
}

/** Chains of groups by which an identity belongs to `group`, shortest first, innermost group first. */
export function membershipWays(v: View, identity: number, group: number): number[][] {
  const found: number[][] = [];
  const { start, values } = v.org.members;
  // groups that hold each other stand for the same set: only among these a chain could come to a group again
  const goesRound = (chain: Chain, g: number): boolean => {
    const set = v.groupMembers[g];
    for (let c: Chain | undefined = chain; c && v.groupMembers[c.group] === set; c = c.before)
      if (c.group === g) return true;
    return false;
  };
  let chains: Chain[] = has(v.groupMembers[group]!, identity) ? [{ group, before: undefined }] : [];
  while (chains.length && found.length < MOST_WAYS) {
    const longer: Chain[] = [];
    for (const chain of chains) {
      const members = values.subarray(start[chain.group], start[chain.group + 1]);
      if (members.includes(identity)) {
        const way: number[] = [];
        for (let c: Chain | undefined = chain; c; c = c.before) way.push(c.group);
        found.push(way);
      }
      for (const m of members)
        if (
          m < 0 &&
          longer.length < 4 * MOST_WAYS &&
          has(v.groupMembers[~m]!, identity) &&
          !goesRound(chain, ~m)
        )
          longer.push({ group: ~m, before: chain });
    }
    chains = longer;
  }
  return found.slice(0, MOST_WAYS);
}

/** What keeps an identity from a node, one step. */
export type Obstacle =
  | { by: 'inactive' }
  | { by: 'held' }
  | { by: 'no-route' }
  | { by: 'expired' | 'not-followed' | 'inert' | 'break'; source: Source; bits: number }
  | { by: Withholding; bits: number };

/**
 * Why not: everything that names the identity at or above a node and yet gives it nothing there, in
 * the order in which it is taken away; then what the space withholds.
 */
export function whyNot(v: View, identity: number, node: number): Obstacle[] {
  const { org } = v;
  const S = org.spaces.length;
  const space = spaceOf(v, node);
  const found: Obstacle[] = [];
  if (!has(v.all, identity)) found.push({ by: 'inactive' });
  if (isHeld(v, node)) return [...found, { by: 'held' }];
  let broken = false;
  for (let at = node, steps = 1; at >= 0; at = parentNode(org, at), steps++) {
    for (let e = org.entries.first[at]!; e < org.entries.first[at + 1]!; e++) {
      const source: Source = { entry: e, at, node, steps };
      const type = org.entries.type[e]!;
      const bits = bitsOf(v, source, space);
      const named = type > LINK_NAMED ? hasRedeemed(v, e, identity) : namesIdentity(v, e, identity);
      const could = type === 3 || (type === 2 && has(v.members, identity));
      if (!v.live[e]) {
        if (named) found.push({ by: 'expired', source, bits });
      } else if (broken && !reachesPastBreaks(v, e)) {
        if (named) found.push({ by: 'break', source, bits });
      } else if (isInert(v, source, space)) {
        if (named) found.push({ by: 'inert', source, bits });
      } else if (!named && could) found.push({ by: 'not-followed', source, bits });
    }
    if (at < S && broken && org.spaces[at]!.visibility === 'organisation' && has(v.members, identity))
      found.push({ by: 'break', source: { entry: 'visibility', at, node, steps }, bits: 0 });
    if (at >= S && org.itemBreaks[at - S]) broken = true;
  }
  const { withheld, routes } = why(v, identity, node);
  found.push(...withheld);
  if (!found.length && !routes.length) found.push({ by: 'no-route' });
  return found;
}

/** Entries that name somebody who can do nothing, and why. */
export interface Dangling {
  entry: number;
  /** The id or address named. */
  name: string;
  because: 'inactive' | 'unknown' | 'own-address';
}

/** Grants and links in force that name users who are not active, or addresses of our own that are nobody's. */
export function dangling(v: View): Dangling[] {
  const { entries, users, addresses } = v.org;
  const found: Dangling[] = [];
  for (let e = 0; e < entries.ids.length; e++) {
    if (!v.live[e]) continue;
    for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++) {
      const kind = entries.toKind.values[i]!;
      const n = entries.toNumber.values[i]!;
      if (kind === PRINCIPAL.user && !users[n]!.active)
        found.push({ entry: e, name: users[n]!.id, because: v.org.userListed[n] ? 'inactive' : 'unknown' });
      else if (kind === PRINCIPAL.address) {
        const identity = v.identityOfAddress[n]!;
        if (identity < 0) found.push({ entry: e, name: addresses[n]!, because: 'own-address' });
        else if (!has(v.all, identity)) found.push({ entry: e, name: addresses[n]!, because: 'inactive' });
      }
    }
  }
  return found;
}
