/** Who can do what with a node, by which routes, what keeps someone out, and what a change would alter. */
import { CAP, ROLES, roleBits, type Role } from '../model.ts';
import { add, bitsFor, countBoth, forEachBoth, has, union, type Bits } from './bits.ts';
import { GrowInt32, listsBy, type Lists } from './growable.ts';
import { PRINCIPAL, nodeOfItem, type Organisation } from './organisation.ts';
import { forEachRedeemer, LINK_NAMED, reach, reachesPastBreaks, type ReachColumns } from './reach.ts';
import { addPrincipal, soleIdentity, type View } from './view.ts';

/** A source of access to a node: an entry, the space's visibility, or owning the item. */
export interface Source {
  /** The entry's number, or what else it is. */
  entry: number | 'visibility' | 'ownership';
  /** The node on which it is made. */
  at: number;
  /** The nodes it comes down by, from `at` to the node asked about, both included. */
  down: number[];
}

/** Everything that applies to a node, nearest first. */
export function sources(v: View, node: number): Source[] {
  const { org } = v;
  const S = org.spaces.length;
  const found: Source[] = [];
  if (node >= S && org.itemOwner[node - S]! >= 0) found.push({ entry: 'ownership', at: node, down: [node] });
  const path = [node];
  let broken = false;
  for (let at = node; ;) {
    const space = at < S;
    const down = path.slice().reverse();
    if (!broken || space)
      for (const e of v.entriesOn.values.subarray(v.entriesOn.start[at], v.entriesOn.start[at + 1]))
        if (v.live[e] && (!broken || reachesPastBreaks(v, e))) found.push({ entry: e, at, down });
    if (space) {
      if (!broken && org.spaces[at]!.visibility === 'organisation')
        found.push({ entry: 'visibility', at, down });
      return found;
    }
    if (org.itemBreaks[at - S]) broken = true;
    const parent = org.itemParent[at - S]!;
    at = parent < 0 ? org.itemSpace[at - S]! : nodeOfItem(org, parent);
    path.push(at);
  }
}

export const spaceOf = (v: View, node: number): number =>
  node < v.org.spaces.length ? node : v.org.itemSpace[node - v.org.spaces.length]!;

/** The role a source gives. */
function roleOf(v: View, source: Source): Role {
  if (source.entry === 'ownership') return 'owner';
  if (source.entry === 'visibility') return v.org.spaces[source.at]!.visibilityRole ?? 'reader';
  return ROLES[v.org.entries.role[source.entry]!]!;
}

/** Calls `visit` with each identity a source gives something to, and the capability bits it gives. */
function forEachHolder(
  v: View,
  source: Source,
  space: number,
  visit: (identity: number, bits: number) => void,
): void {
  const bits = roleBits(roleOf(v, source), v.org.spaces[space]!.editorsShare !== false);
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
  for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++)
    addPrincipal(v, holders, entries.toKind.values[i]!, entries.toNumber.values[i]!);
  if (link === 0) forEachBoth(holders, holders, (i) => visit(i, bits));
  else {
    // behind a link alone, search does not find it until that person has redeemed the link
    const redeemed = bitsFor(v.identityCount);
    forEachRedeemer(v, e, (i) => (redeemed[i >>> 5]! |= 1 << (i & 31)));
    forEachBoth(holders, holders, (i) => visit(i, has(redeemed, i) ? bits : bits & ~CAP.find));
  }
}

/** The capability bits that one source gives to one identity, before what the space takes away. */
function givenTo(v: View, source: Source, space: number, identity: number): number {
  const bits = roleBits(roleOf(v, source), v.org.spaces[space]!.editorsShare !== false);
  if (source.entry === 'ownership')
    return v.org.itemOwner[source.at - v.org.spaces.length] === identity && has(v.all, identity) ? bits : 0;
  if (source.entry === 'visibility') return has(v.members, identity) ? bits : 0;
  const link = v.org.entries.type[source.entry]!;
  if (link > LINK_NAMED) return hasRedeemed(v, source.entry, identity) ? bits : 0;
  if (!namesIdentity(v, source.entry, identity)) return 0;
  return link === LINK_NAMED && !hasRedeemed(v, source.entry, identity) ? bits & ~CAP.find : bits;
}

/** Whether an entry's grantees or recipients take an identity in. */
export function namesIdentity(v: View, e: number, identity: number): boolean {
  const { toKind, toNumber } = v.org.entries;
  for (let i = toKind.start[e]!; i < toKind.start[e + 1]!; i++) {
    const kind = toKind.values[i]!;
    const number = toNumber.values[i]!;
    if (
      kind === PRINCIPAL.group
        ? has(v.groupMembers[number]!, identity)
        : kind === PRINCIPAL.everyone
          ? has(v.members, identity)
          : kind === PRINCIPAL.domain
            ? has(v.domainMembers[number]!, identity)
            : kind === PRINCIPAL.anyone
              ? has(v.all, identity)
              : soleIdentity(v, kind, number) === identity
    )
      return true;
  }
  return false;
}

function hasRedeemed(v: View, e: number, identity: number): boolean {
  let found = false;
  forEachRedeemer(v, e, (i) => (found ||= i === identity));
  return found;
}

/** Whether a source gives nothing to anybody because its space lets nothing for anyone in. */
function isInert(v: View, source: Source, space: number): boolean {
  if (typeof source.entry !== 'number' || !v.spaces[space]!.anyoneInert) return false;
  const { entries } = v.org;
  if (entries.type[source.entry] === 3) return true;
  return (
    entries.type[source.entry] === 0 &&
    entries.toKind.values[entries.toKind.start[source.entry]!] === PRINCIPAL.anyone
  );
}

/**
 * The identities that some sources give something to, put together by the capability bits given:
 * there are few different ones, so that a large group costs a union and not a visit to each member.
 */
function unionsOf(v: View, list: readonly Source[], space: number): Map<number, Bits> {
  const unions = new Map<number, Bits>();
  const of = (bits: number): Bits => {
    let set = unions.get(bits);
    if (!set) unions.set(bits, (set = bitsFor(v.identityCount)));
    return set;
  };
  const { entries } = v.org;
  for (const source of list) {
    const { entry } = source;
    if (typeof entry !== 'number' || entries.type[entry] !== 0) {
      if (entry === 'visibility')
        union(of(roleBits(roleOf(v, source), v.org.spaces[space]!.editorsShare !== false)), v.members);
      else forEachHolder(v, source, space, (i, bits) => add(of(bits), i));
      continue;
    }
    const set = of(roleBits(roleOf(v, source), v.org.spaces[space]!.editorsShare !== false));
    for (let i = entries.toKind.start[entry]!; i < entries.toKind.start[entry + 1]!; i++)
      addPrincipal(v, set, entries.toKind.values[i]!, entries.toNumber.values[i]!);
  }
  return unions;
}

/** Capability bits by identity at a node, before what the space takes away. */
function granted(v: View, node: number, owner = true): Uint8Array {
  const space = spaceOf(v, node);
  const bits = new Uint8Array(v.identityCount);
  const list = sources(v, node).filter((s) => (owner || s.entry !== 'ownership') && !isInert(v, s, space));
  for (const [given, set] of unionsOf(v, list, space)) forEachBoth(set, v.all, (i) => (bits[i]! |= given));
  return bits;
}

/** Capability bits by identity at a node (index: identity number). */
export function who(v: View, node: number, owner = true): Uint8Array {
  const bits = granted(v, node, owner);
  const { allowed } = v.spaces[spaceOf(v, node)]!;
  for (let i = 0; i < bits.length; i++) if (bits[i] && !has(allowed, i)) bits[i] = 0;
  return bits;
}

/** Entries by what they name, and items by owner: made once for an organisation, when first asked. */
interface Index {
  byUser: Lists;
  byGroup: Lists;
  byAddress: Lists;
  byDomain: Lists;
  /** Entries for everyone or for anyone. */
  forAll: number[];
  /** Spaces that the whole organisation sees. */
  visible: number[];
  owned: Lists;
}
const indices = new WeakMap<Organisation, Index>();

function indexOf(org: Organisation): Index {
  let index = indices.get(org);
  if (index) return index;
  const { entries } = org;
  const pairs = Array.from({ length: 6 }, () => ({ owners: new GrowInt32(), values: new GrowInt32() }));
  const forAll = new Set<number>();
  const put = (kind: number, number: number, e: number): void => {
    if (kind === PRINCIPAL.everyone || kind === PRINCIPAL.anyone) forAll.add(e);
    else {
      pairs[kind]!.owners.push(number);
      pairs[kind]!.values.push(e);
    }
  };
  for (let e = 0; e < entries.ids.length; e++) {
    for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++)
      put(entries.toKind.values[i]!, entries.toNumber.values[i]!, e);
    for (let i = entries.redeemedKind.start[e]!; i < entries.redeemedKind.start[e + 1]!; i++)
      put(entries.redeemedKind.values[i]!, entries.redeemedNumber.values[i]!, e);
  }
  const lists = (kind: number, count: number): Lists =>
    listsBy(pairs[kind]!.owners.done(), pairs[kind]!.values.done(), count);
  const owned = org.itemOwner.map((o, i) => (o >= 0 ? i : -1)).filter((i) => i >= 0);
  index = {
    byUser: lists(PRINCIPAL.user, org.users.length),
    byGroup: lists(PRINCIPAL.group, org.groups.length),
    byAddress: lists(PRINCIPAL.address, org.addresses.length),
    byDomain: lists(PRINCIPAL.domain, org.domains.length),
    forAll: [...forAll],
    visible: org.spaces.flatMap((row, s) => (row.visibility === 'organisation' ? s : [])),
    owned: listsBy(
      owned.map((i) => org.itemOwner[i]!),
      owned,
      org.users.length,
    ),
  };
  indices.set(org, index);
  return index;
}

/** Everything one identity can do: the nodes where it can do something, and capability bits by node. */
export function what(v: View, identity: number): { nodes: number[]; bits: Uint8Array } {
  const { org } = v;
  const S = org.spaces.length;
  const index = indexOf(org);
  const candidates = new Set(index.forAll);
  const take = ({ start, values }: Lists, owner: number): void => {
    for (let i = start[owner]!; i < start[owner + 1]!; i++) candidates.add(values[i]!);
  };
  if (identity < org.users.length) take(index.byUser, identity);
  v.groupMembers.forEach((set, g) => has(set, identity) && take(index.byGroup, g));
  v.domainMembers.forEach((set, d) => has(set, identity) && take(index.byDomain, d));
  v.identityOfAddress.forEach((i, a) => i === identity && take(index.byAddress, a));

  const nodes: number[] = [];
  const bits = new Uint8Array(S + org.itemIds.length);
  // what has come past breaks, kept apart: only that has reached everything below
  const pastBits = new Uint8Array(bits.length);
  /** Gives bits to a node and what inherits from it, and stops where they are already. */
  const spread = (from: number, given: number, past: boolean): void => {
    const stack = [from];
    while (stack.length) {
      const node = stack.pop()!;
      if (((past ? pastBits : bits)[node]! & given) === given) continue;
      if (bits[node] === 0) nodes.push(node);
      bits[node]! |= given;
      if (past) pastBits[node]! |= given;
      for (let i = v.children.start[node]!; i < v.children.start[node + 1]!; i++) {
        const item = v.children.values[i]!;
        if (past || !org.itemBreaks[item]) stack.push(S + item);
      }
    }
  };
  for (const e of candidates) {
    const at = org.entries.node[e]!;
    if (!v.live[e]) continue;
    const space = spaceOf(v, at);
    if (!has(v.spaces[space]!.allowed, identity)) continue;
    const source: Source = { entry: e, at, down: [] };
    const given = isInert(v, source, space) ? 0 : givenTo(v, source, space, identity);
    if (given) spread(at, given, at < S && reachesPastBreaks(v, e));
  }
  if (has(v.members, identity))
    for (const s of index.visible)
      if (has(v.spaces[s]!.allowed, identity))
        spread(s, givenTo(v, { entry: 'visibility', at: s, down: [] }, s, identity), false);
  if (identity < org.users.length && has(v.all, identity))
    for (let i = index.owned.start[identity]!; i < index.owned.start[identity + 1]!; i++) {
      const item = index.owned.values[i]!;
      if (!has(v.spaces[org.itemSpace[item]!]!.allowed, identity)) continue;
      if (bits[S + item] === 0) nodes.push(S + item);
      bits[S + item]! |= roleBits('owner', true);
    }
  return { nodes, bits };
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

export interface Why {
  /** What the identity can do. */
  bits: number;
  /** Every route that gives something, the shortest first. */
  routes: Route[];
  /** What was taken away, and by which rule of the space. */
  withheld: { by: 'external-sharing' | 'gate'; bits: number }[];
}

/** How one identity comes to reach a node, and what keeps it from more. */
export function why(v: View, identity: number, node: number): Why {
  const space = spaceOf(v, node);
  const rules = v.spaces[space]!;
  const routes: Route[] = [];
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
  routes.sort((a, b) => a.groups.length + a.source.down.length - (b.groups.length + b.source.down.length));
  const withheld: Why['withheld'] = [];
  if (inert & ~bits)
    withheld.push({ by: v.org.external[space]! > 0 ? 'external-sharing' : 'gate', bits: inert & ~bits });
  if (bits && !has(rules.shared, identity)) {
    withheld.push({ by: 'external-sharing', bits });
    bits = 0;
  }
  if (bits && rules.gate && !has(rules.gate, identity)) {
    withheld.push({ by: 'gate', bits });
    bits = 0;
  }
  return { bits, routes, withheld };
}

/** No more than this many ways through nested groups are listed for one grant. */
const MOST_WAYS = 50;

/** The ways in which a source comes to name an identity. */
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
    else if (kind === PRINCIPAL.domain && has(v.domainMembers[number]!, identity))
      found.push({ groups: [], as: 'domain' });
    else if (kind === PRINCIPAL.anyone) found.push({ groups: [], as: 'anyone' });
    else if (soleIdentity(v, kind, number) === identity) found.push({ groups: [] });
  }
  return found;
}

/** Chains of groups by which an identity belongs to `group`, shortest first, innermost group first. */
export function membershipWays(v: View, identity: number, group: number): number[][] {
  const found: number[][] = [];
  const { start, values } = v.org.members;
  let paths = has(v.groupMembers[group]!, identity) ? [[group]] : [];
  while (paths.length && found.length < MOST_WAYS) {
    const longer: number[][] = [];
    for (const path of paths) {
      const g = path[path.length - 1]!;
      const members = values.subarray(start[g], start[g + 1]);
      if (members.includes(identity)) found.push(path.slice().reverse());
      for (const m of members)
        if (
          m < 0 &&
          !path.includes(~m) &&
          longer.length < 4 * MOST_WAYS &&
          has(v.groupMembers[~m]!, identity)
        )
          longer.push([...path, ~m]);
    }
    paths = longer;
  }
  return found.slice(0, MOST_WAYS);
}

/** The same view with some entries taken as absent. */
export function withoutEntries(v: View, entries: Iterable<number>): View {
  const live = v.live.slice();
  for (const e of entries) live[e] = 0;
  return { ...v, live };
}

export interface Difference {
  /** Spaces and items on which somebody's capabilities differ, grouped where the difference is the same. */
  groups: { nodes: number[]; changes: { identity: number; before: number; after: number }[] }[];
  /** Reach of the spaces concerned, before and after. */
  before: ReachColumns;
  after: ReachColumns;
  /** Every node below a withdrawn entry, changed or not. */
  touched: number[];
}

const FEW = 16;

/**
 * Whose capabilities at a node differ once some sources are gone, owners aside. Only whom those
 * sources name can differ, so only they are looked at.
 */
function differenceAt(
  v: View,
  node: number,
  gone: ReadonlySet<Source['entry']>,
): Difference['groups'][number]['changes'] {
  const space = spaceOf(v, node);
  const { allowed } = v.spaces[space]!;
  const all = sources(v, node).filter((s) => s.entry !== 'ownership' && !isInert(v, s, space));
  const left = all.filter((s) => !gone.has(s.entry));
  const withdrawn = unionsOf(
    v,
    all.filter((s) => gone.has(s.entry)),
    space,
  );
  const named = bitsFor(v.identityCount);
  for (const set of withdrawn.values()) union(named, set);
  const changes: Difference['groups'][number]['changes'] = [];
  // few are asked one by one; for many, what is left is put together first
  const unions = countBoth(named, allowed) > FEW ? [...unionsOf(v, left, space)] : undefined;
  const given = [...withdrawn];
  forEachBoth(named, allowed, (identity) => {
    let after = 0;
    if (unions) for (const [bits, set] of unions) after |= has(set, identity) ? bits : 0;
    else for (const s of left) after |= givenTo(v, s, space, identity);
    let before = after;
    for (const [bits, set] of given) if (has(set, identity)) before |= bits;
    if (before !== after) changes.push({ identity, before, after });
  });
  return changes;
}

/** What withdrawing entries alters, without touching anything: per identity and node, and per node's reach. */
export function whatIfWithdrawn(v: View, entries: readonly number[]): Difference {
  const later = withoutEntries(v, entries);
  const gone = new Set<Source['entry']>(entries);
  const touched = new Set<number>();
  const below = (node: number): void => {
    const stack = [node];
    while (stack.length) {
      const n = stack.pop()!;
      if (touched.has(n)) continue;
      touched.add(n);
      for (const child of v.children.values.subarray(v.children.start[n], v.children.start[n + 1]))
        stack.push(nodeOfItem(v.org, child));
    }
  };
  for (const e of entries) if (v.org.entries.node[e]! >= 0) below(v.org.entries.node[e]!);
  const nodes = [...touched].sort((a, b) => a - b);
  const spaces = [...new Set(nodes.map((n) => spaceOf(v, n)))];
  const before = reach(v, spaces);
  const after = reach(later, spaces);

  // nodes of the same class before and after differ in their owners at most, and an owner loses nothing
  const groups = new Map<string, { nodes: number[]; changes: Difference['groups'][number]['changes'] }>();
  const changed = new Map<string, Difference['groups'][number]['changes']>();
  for (const node of nodes) {
    const pair = `${before.accessClass[node]}>${after.accessClass[node]}`;
    let changes = changed.get(pair);
    if (!changes) {
      changes = differenceAt(v, node, gone);
      changed.set(pair, changes);
    }
    const owner = node < v.org.spaces.length ? -1 : v.org.itemOwner[node - v.org.spaces.length]!;
    const ownerIn = owner >= 0 && changes.some((c) => c.identity === owner);
    const key = ownerIn ? `${pair}|${owner}` : pair;
    const group = groups.get(key);
    if (group) group.nodes.push(node);
    else {
      const mine = ownerIn ? changes.filter((c) => c.identity !== owner) : changes;
      if (mine.length) groups.set(key, { nodes: [node], changes: mine });
    }
  }
  return { groups: [...groups.values()], before, after, touched: nodes };
}
