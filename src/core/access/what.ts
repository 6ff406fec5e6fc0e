/** What an identity, a group or a whole domain can reach: every node, with capability bits. */
import { bitsIn, CAP, domainOf } from '../model.ts';
import { anyBoth, has } from './bits.ts';
import { GrowInt32, listsBy, type Lists } from './growable.ts';
import { groupsAbove, groupsHolding } from './groups.ts';
import { HELD, PRINCIPAL } from './organisation.ts';
import { entryBits, isInertEntry, namesIdentity } from './questions.ts';
import { forEachRedeemer, LINK_NAMED, reachesPastBreaks } from './reach.ts';
import { soleIdentity, type View } from './view.ts';

/** Beside the capability bits: what is given reaches through every break below. */
const PAST = 256;

/** Nodes and the bits given on them, by owner. */
interface Given {
  nodes: Lists;
  bits: Lists;
}

/** What is given to whom, made once for a view, when first asked. */
interface Index {
  direct: Given;
  byGroup: Given;
  byDomain: Given;
  everyone: Given;
  anyone: Given;
  visible: Given;
  owned: Given;
  /** By item number: how many items before it break inheritance. */
  breaksBefore: Int32Array;
}
const indices = new WeakMap<View, Index>();

class Collect {
  private readonly owners = new GrowInt32();
  private readonly nodes = new GrowInt32();
  private readonly bits = new GrowInt32();

  put(owner: number, node: number, bits: number): void {
    this.owners.push(owner);
    this.nodes.push(node);
    this.bits.push(bits);
  }
  done(count: number): Given {
    const owners = this.owners.done();
    return {
      nodes: listsBy(owners, this.nodes.done(), count),
      bits: listsBy(owners, this.bits.done(), count),
    };
  }
}

/** Makes ready for `whatOf`: one pass over everything in force. */
export function prepareWhat(v: View): void {
  indexOf(v);
}

function indexOf(v: View): Index {
  let index = indices.get(v);
  if (index) return index;
  const { org } = v;
  const { entries } = org;
  const S = org.spaces.length;
  const [direct, byGroup, byDomain, everyone, anyone, visible, owned] = Array.from(
    { length: 7 },
    () => new Collect(),
  ) as [Collect, Collect, Collect, Collect, Collect, Collect, Collect];
  for (let e = 0; e < entries.ids.length; e++) {
    if (!v.live[e]) continue;
    const node = entries.node[e]!;
    const space = node < S ? node : org.itemSpace[node - S]!;
    if (v.spaces[space]!.anyoneInert && isInertEntry(v, e)) continue;
    const full = entryBits(v, e, space);
    const type = entries.type[e]!;
    if (type > LINK_NAMED) {
      forEachRedeemer(v, e, (i) => direct.put(i, node, full));
      continue;
    }
    // behind a link alone, search does not find it until that person has redeemed the link
    const given =
      type === LINK_NAMED ? full & ~CAP.find : full | (node < S && reachesPastBreaks(v, e) ? PAST : 0);
    for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++) {
      const kind = entries.toKind.values[i]!;
      const number = entries.toNumber.values[i]!;
      if (kind === PRINCIPAL.group) byGroup.put(number, node, given);
      else if (kind === PRINCIPAL.domain) byDomain.put(number, node, given);
      else if (kind === PRINCIPAL.everyone) everyone.put(0, node, given);
      else if (kind === PRINCIPAL.anyone) anyone.put(0, node, given);
      else {
        const identity = soleIdentity(v, kind, number);
        if (identity >= 0) direct.put(identity, node, given);
      }
    }
    if (type === LINK_NAMED)
      forEachRedeemer(v, e, (i) => {
        if (namesIdentity(v, e, i)) direct.put(i, node, full);
      });
  }
  org.spaces.forEach((row, s) => {
    if (row.visibility === 'organisation') visible.put(0, s, bitsIn(row, row.visibilityRole ?? 'reader'));
  });
  org.itemOwner.forEach((o, i) => {
    if (o >= 0 && !(org.itemBreaks[i]! & HELD))
      owned.put(o, S + i, bitsIn(org.spaces[org.itemSpace[i]!]!, 'owner'));
  });

  const breaksBefore = new Int32Array(org.itemIds.length + 1);
  for (let i = 0; i < org.itemIds.length; i++) breaksBefore[i + 1] = breaksBefore[i]! + org.itemBreaks[i]!;
  index = {
    direct: direct.done(v.identityCount),
    byGroup: byGroup.done(org.groups.length),
    byDomain: byDomain.done(org.domains.length),
    everyone: everyone.done(1),
    anyone: anyone.done(1),
    visible: visible.done(1),
    owned: owned.done(org.users.length),
    breaksBefore,
  };
  indices.set(v, index);
  return index;
}

/** Gives the bits of one owner's list to the nodes it names and to what inherits from them. */
function give(v: View, index: Index, { nodes, bits: given }: Given, owner: number, bits: Uint8Array): void {
  const { itemEnd, spaceFirst, itemBreaks, spaces } = v.org;
  const S = spaces.length;
  const { breaksBefore } = index;
  for (let i = nodes.start[owner]!; i < nodes.start[owner + 1]!; i++) {
    const node = nodes.values[i]!;
    const b = given.values[i]! & 255;
    bits[node]! |= b;
    const from = node < S ? spaceFirst[node]! : node - S + 1;
    const to = node < S ? spaceFirst[node + 1]! : itemEnd[node - S]!;
    if (from >= to) continue;
    if (given.values[i]! & PAST || breaksBefore[from] === breaksBefore[to]) {
      for (let k = from; k < to; k++) if (!(itemBreaks[k]! & HELD)) bits[S + k]! |= b;
    } else
      for (let item = from; item < to;)
        if (itemBreaks[item]) item = itemEnd[item]!;
        else bits[S + item++]! |= b;
  }
}

export type Asked = { identity: number } | { group: number } | { domain: string };

/**
 * Everything that one identity can do; that a member of one group can do through it; or that somebody
 * outside of one domain can do. Capability bits by node. Work: what is given, and one byte a node.
 */
export function whatOf(v: View, asked: Asked): Uint8Array {
  const { org } = v;
  const S = org.spaces.length;
  const index = indexOf(v);
  const bits = new Uint8Array(S + org.itemIds.length);
  if ('domain' in asked) {
    const domain = v.domainNames.indexOf(asked.domain);
    const identities: number[] = [];
    for (let i = 0; i < v.identityCount; i++)
      if (domain >= 0 && v.identityDomain[i] === domain && has(v.all, i)) identities.push(i);
    if (identities.length) giveAll(v, index, identities, bits);
    const whole = org.domains.indexOf(asked.domain);
    if (whole >= 0) {
      const ofDomain = new Uint8Array(bits.length);
      give(v, index, index.byDomain, whole, ofDomain);
      v.spaces.forEach((rules, s) => rules.wholeDomainsCount || clear(v, s, ofDomain));
      ofDomain.forEach((b, node) => (bits[node]! |= b));
    }
    return bits;
  }
  if ('group' in asked) {
    for (const g of groupsAbove(org, [asked.group])) give(v, index, index.byGroup, g, bits);
    const members = v.groupMembers[asked.group]!;
    const reached = new Map<object, boolean>();
    v.spaces.forEach(({ allowed }, s) => {
      let some = reached.get(allowed);
      if (some === undefined) reached.set(allowed, (some = anyBoth(members, allowed)));
      if (!some) clear(v, s, bits);
    });
    return bits;
  }
  const { identity } = asked;
  if (identity >= 0 && has(v.all, identity)) giveAll(v, index, [identity], bits);
  return bits;
}

/** Gives what any of some identities is given, whatever spaces take away. */
function giveGiven(v: View, index: Index, identities: readonly number[], bits: Uint8Array): void {
  const { org } = v;
  const groups = new Set<number>();
  const domains = new Set<number>();
  for (const identity of identities) {
    give(v, index, index.direct, identity, bits);
    const person = org.users[identity];
    if (!person) continue;
    for (const g of groupsHolding(org, identity)) groups.add(g);
    for (const domain of person.addresses.map(domainOf)) domains.add(org.domains.indexOf(domain));
    const { nodes } = index.owned;
    for (let i = nodes.start[identity]!; i < nodes.start[identity + 1]!; i++)
      bits[nodes.values[i]!]! |= index.owned.bits.values[i]!;
  }
  give(v, index, index.anyone, 0, bits);
  if (identities.some((i) => has(v.members, i))) {
    give(v, index, index.everyone, 0, bits);
    give(v, index, index.visible, 0, bits);
  }
  for (const g of groupsAbove(org, groups)) give(v, index, index.byGroup, g, bits);
  for (const d of domains) if (d >= 0) give(v, index, index.byDomain, d, bits);
}

/** Gives what any of some identities holds: all together first, then anew where a space lets in but some of them. */
function giveAll(v: View, index: Index, identities: readonly number[], bits: Uint8Array): void {
  giveGiven(v, index, identities, bits);
  const { org } = v;
  const left = new Map<object, Uint8Array | null>();
  v.spaces.forEach(({ allowed, shutsOut }, s) => {
    if (!shutsOut) return;
    let some = left.get(allowed);
    if (some === undefined) {
      const within = identities.filter((i) => has(allowed, i));
      if (within.length === identities.length) return;
      some = within.length ? new Uint8Array(bits.length) : null;
      if (some) giveGiven(v, index, within, some);
      left.set(allowed, some);
    }
    if (!some) return clear(v, s, bits);
    const from = org.spaces.length + org.spaceFirst[s]!;
    const to = org.spaces.length + org.spaceFirst[s + 1]!;
    bits[s] = some[s]!;
    bits.set(some.subarray(from, to), from);
  });
}

function clear(v: View, space: number, bits: Uint8Array): void {
  const S = v.org.spaces.length;
  bits[space] = 0;
  bits.fill(0, S + v.org.spaceFirst[space]!, S + v.org.spaceFirst[space + 1]!);
}
