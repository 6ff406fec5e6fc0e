/**
 * How far access to each space and item extends. Most items share their access with their folder:
 * what applies is computed once per access class and counted once, with the item's owner laid over.
 */
import { TIERS, type Tier } from '../model.ts';
import { add, bitsFor, countBoth, forEachBoth, has, ones, union, type Bits } from './bits.ts';
import { PRINCIPAL, nodeOfItem } from './organisation.ts';
import { addPrincipal, soleIdentity, type SpaceRules, type View } from './view.ts';

const OUTSIDE = TIERS.indexOf('outside');
const PARTNER = TIERS.indexOf('partner');
const PUBLIC = TIERS.indexOf('public');

const MANAGER = 3;
export const LINK_NAMED = 1;
const LINK_ORGANISATION = 2;

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
  /** By domain: the last class in which it was met, and room for those found; sets not in use. */
  scratch: { seenDomain: Int32Array; foundDomains: Int32Array; spare: Bits[] };
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
  /** Indices into `view.domainNames`. */
  identityDomains: Int32Array;
  /** Whole domains, as indices into `org.domains`. */
  wholeDomains: number[];
}

interface State extends AccessClass {
  number: number;
  bits: Bits;
  organisationLink: boolean;
}

const emptyState = (v: View, spare?: Bits[]): State => ({
  number: -1,
  bits: spare?.pop()?.fill(0) ?? bitsFor(v.identityCount),
  organisationLink: false,
  members: 0,
  guests: 0,
  outsiders: 0,
  couldMembers: 0,
  anyoneNow: false,
  anyoneCould: false,
  external: false,
  unexpected: false,
  identityDomains: NO_DOMAINS,
  wholeDomains: [],
});

/** What one entry adds for identities in a space with these rules; flags go to `state`. */
function applyEntry(v: View, e: number, rules: SpaceRules, state: State): void {
  const { entries, domains } = v.org;
  const type = entries.type[e]!;
  const from = entries.toKind.start[e]!;
  const to = entries.toKind.start[e + 1]!;
  if (type <= LINK_NAMED) {
    for (let i = from; i < to; i++) {
      const kind = entries.toKind.values[i]!;
      const number = entries.toNumber.values[i]!;
      if (kind === PRINCIPAL.anyone) {
        if (rules.anyoneInert) continue;
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
  forEachRedeemer(v, e, (identity) => add(state.bits, identity));
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

/** The tier that holds of these counts (domain.md, Reach). */
function tierOf(v: View, members: number, external: boolean, unexpected: boolean, anyone: boolean): number {
  if (anyone) return PUBLIC;
  if (unexpected) return OUTSIDE;
  if (external) return PARTNER;
  if (v.memberCount > 0 && members >= v.settings.organisationShare * v.memberCount) return 3;
  return members > v.settings.wideAbove ? 2 : members >= 2 ? 1 : 0;
}

/**
 * The reach of every space and item. `only`: the spaces to do, all where absent; nodes of others
 * are left at zero. `progress` is told of spaces done, a hundred at a time.
 */
export function reach(
  v: View,
  only?: readonly number[],
  progress?: (done: number, of: number) => void,
): ReachColumns {
  const { org } = v;
  const nodes = org.spaces.length + org.itemIds.length;
  const out: ReachColumns = {
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
    scratch: {
      seenDomain: new Int32Array(v.domainNames.length),
      foundDomains: new Int32Array(v.domainNames.length),
      spare: [],
    },
  };
  const spaces = only ?? org.spaces.map((_, s) => s);
  spaces.forEach((s, done) => {
    reachOfSpace(v, s, out);
    if (progress && done % 100 === 99) progress(done + 1, spaces.length);
  });
  return out;
}

function reachOfSpace(v: View, s: number, out: ReachColumns): void {
  const { org } = v;
  const rules = v.spaces[s]!;
  const row = org.spaces[s]!;
  const own = v.entriesOn.values.subarray(v.entriesOn.start[s], v.entriesOn.start[s + 1]);
  const top = emptyState(v, out.scratch.spare);
  if (row.visibility === 'organisation') union(top.bits, v.members);
  for (const e of own) if (v.live[e]) applyEntry(v, e, rules, top);
  settle(v, top, rules, out);
  put(v, s, -1, top, rules, out);

  /** What is left below a break: manager and owner grants made on the space itself. */
  let pastBreak: State | undefined;
  const broken = (): State => {
    if (pastBreak) return pastBreak;
    pastBreak = emptyState(v);
    for (const e of own) if (reachesPastBreaks(v, e)) applyEntry(v, e, rules, pastBreak);
    return settle(v, pastBreak, rules, out);
  };

  const { start, values } = v.children;
  // sets live only as long as their folder is being walked, so a few of them serve for all
  const { spare } = out.scratch;
  const stack: { state: State; at: number; end: number; own: boolean }[] = [
    { state: top, at: start[s]!, end: start[s + 1]!, own: true },
  ];
  while (stack.length) {
    const frame = stack[stack.length - 1]!;
    if (frame.at === frame.end) {
      stack.pop();
      if (frame.own) spare.push(frame.state.bits);
      continue;
    }
    const item = values[frame.at++]!;
    const node = nodeOfItem(org, item);
    let state = org.itemBreaks[item] ? broken() : frame.state;
    const from = v.entriesOn.start[node]!;
    const to = v.entriesOn.start[node + 1]!;
    let copied = false;
    for (let i = from; i < to; i++) {
      const e = v.entriesOn.values[i]!;
      if (!v.live[e]) continue;
      if (!copied) {
        const bits = spare.pop() ?? bitsFor(v.identityCount);
        bits.set(state.bits);
        state = {
          ...state,
          number: -1,
          bits,
          wholeDomains: state.wholeDomains.slice(),
          identityDomains: NO_DOMAINS,
        };
        copied = true;
      }
      applyEntry(v, e, rules, state);
    }
    if (copied) settle(v, state, rules, out);
    put(v, node, org.itemOwner[item]!, state, rules, out);
    if (start[node + 1]! > start[node]!)
      stack.push({ state, at: start[node]!, end: start[node + 1]!, own: copied });
    else if (copied) spare.push(state.bits);
  }
}

/** Whether an entry on a space reaches through every break below it. */
export const reachesPastBreaks = (v: View, e: number): boolean =>
  v.live[e] === 1 && v.org.entries.type[e] === 0 && v.org.entries.role[e]! >= MANAGER;

/** Takes away what the space's rules take away, and counts, in one pass over the words. */
function count(v: View, state: State, rules: SpaceRules): void {
  const { bits } = state;
  const { allowed } = rules;
  let members = 0;
  let guests = 0;
  let outsiders = 0;
  let unexpected = 0;
  for (let w = 0; w < bits.length; w++) {
    const word = bits[w]! & allowed[w]!;
    bits[w] = word;
    if (word === 0) continue;
    members += ones(word & v.members[w]!);
    const external = word & v.externals[w]!;
    if (external === 0) continue;
    guests += ones(external & v.guests[w]!);
    outsiders += ones(external & v.outside[w]!);
    unexpected |= external & v.unexpected[w]!;
  }
  state.members = members;
  state.guests = guests;
  state.outsiders = outsiders;
  state.couldMembers = state.organisationLink ? countBoth(allowed, v.members) : members;
  state.external = guests + outsiders + state.wholeDomains.length > 0;
  state.unexpected = unexpected !== 0 || state.wholeDomains.some((d) => v.domainStanding[d] === 2);
}

const NO_DOMAINS = new Int32Array(0);

/** The domains of the external identities in a set. */
function domainsIn(v: View, bits: Bits, out: ReachColumns): Int32Array {
  const { seenDomain, foundDomains } = out.scratch;
  const mark = out.classes.length + 1;
  let n = 0;
  forEachBoth(bits, v.externals, (i) => {
    const d = v.identityDomain[i]!;
    if (seenDomain[d] === mark) return;
    seenDomain[d] = mark;
    foundDomains[n++] = d;
  });
  return foundDomains.slice(0, n);
}

/** Counts a state and makes it a class. */
function settle(v: View, state: State, rules: SpaceRules, out: ReachColumns): State {
  count(v, state, rules);
  state.identityDomains = state.guests + state.outsiders > 0 ? domainsIn(v, state.bits, out) : NO_DOMAINS;
  const { bits: _bits, number: _number, organisationLink: _link, ...summary } = state;
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

/** The tiers that one source would have by itself, for identities its space lets in. */
export function reachOfSource(
  v: View,
  entry: number | 'visibility',
  space: number,
): { now: number; could: number } {
  const rules = v.spaces[space]!;
  const state = emptyState(v);
  if (entry === 'visibility') union(state.bits, v.members);
  else applyEntry(v, entry, rules, state);
  count(v, state, rules);
  return {
    now: tierOf(v, state.members, state.external, state.unexpected, state.anyoneNow),
    could: tierOf(v, state.couldMembers, state.external, state.unexpected, state.anyoneCould),
  };
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

/** The reach of one node, from columns made for its space, in the form that interfaces give. */
export function reachOf(
  v: View,
  columns: ReachColumns,
  node: number,
): { now: ReachSummary; could: ReachSummary } {
  const cls = columns.classes[columns.accessClass[node]!]!;
  const domains = new Set(cls.wholeDomains.map((d) => v.org.domains[d]!));
  for (const d of cls.identityDomains) domains.add(v.domainNames[d]!);
  if (columns.ownerAdds[node]) {
    const owner = v.org.itemOwner[node - v.org.spaces.length]!;
    if (v.identityDomain[owner]! >= 0) domains.add(v.domainNames[v.identityDomain[owner]!]!);
  }
  domains.delete('');
  const common = {
    guests: columns.guests[node]!,
    outsiders: columns.outsiders[node]!,
    domains: [...domains].sort(),
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
