/**
 * An organisation judged at one moment: who its identities are, what each group and domain stands
 * for, which grants and links are in force. Definitions: docs/access.md.
 */
import { coveredBy, domainOf, EXTERNAL_SHARING, type PersonRow } from '../model.ts';
import { addressName, domainName, isHiddenDomain } from './addresses.ts';
import { add, Arena, bitsFor, forEachBoth, has, intersect, union, type Bits } from './bits.ts';
import { closeGroups, listIfSmall } from './groups.ts';
import { Interner } from './growable.ts';
import { HELD, isOwnAddress, PRINCIPAL, time, type Organisation } from './organisation.ts';

export interface ReachSettings {
  /** More members than this are *wide*. */
  wideAbove: number;
  /** This share of all active members or more is *organisation*. */
  organisationShare: number;
}
export const DEFAULT_REACH: ReachSettings = { wideAbove: 25, organisationShare: 0.5 };

/** Identities are numbered: users first, then outsiders. */
export interface View {
  org: Organisation;
  /** Milliseconds since 1970. */
  moment: number;
  settings: ReachSettings;
  identityCount: number;
  /** Addresses of the outsiders, lower case: identity `users.length + i`. */
  outsiders: string[];
  /** Identity by address number, or −1 for one that is dangling. */
  identityOfAddress: Int32Array;
  all: Bits;
  members: Bits;
  guests: Bits;
  /** Members and guests. */
  accounts: Bits;
  outside: Bits;
  /** Guests and outsiders. */
  externals: Bits;
  /** External identities whose domain is not a partner's. */
  unexpected: Bits;
  memberCount: number;
  /** Domains of the external identities that a group stands for, as sets of indices into `domainNames`. */
  groupDomains: Bits[];
  /** Indices into `domainNames` that are not a partner's. */
  unexpectedDomains: Bits;
  /** Index into `domainNames` by identity; −1 for members. */
  identityDomain: Int32Array;
  domainNames: string[];
  /** Everybody a group stands for, nesting followed: sets of users alone, and so shorter than others. */
  groupMembers: Bits[];
  /** The same as lists, for groups that are small enough for a list to be quicker. */
  groupLists: (Int32Array | undefined)[];
  /** Active users with an address in exactly that domain, by the organisation's domain number. */
  domainMembers: Int32Array[];
  /** By domain number: 0 the organisation's own, 1 a partner's, 2 any other. */
  domainStanding: Uint8Array;
  /** 1 where the entry is in force at the moment. */
  live: Uint8Array;
  spaces: SpaceRules[];
  /** Where its sets are, and further ones may be borrowed. */
  arena: Arena;
}

/** What a space takes away, whatever is granted in it. */
export interface SpaceRules {
  /** Identities that its external sharing lets in. */
  shared: Bits;
  /** Identities that pass its gate; undefined where it has none. */
  gate: Bits | undefined;
  /** Both together. */
  allowed: Bits;
  /** Whether there is anybody it does not let in. */
  shutsOut: boolean;
  /** Grants and links for anyone give nothing to anybody. */
  anyoneInert: boolean;
  /** A whole domain that is granted something counts as reaching it. */
  wholeDomainsCount: boolean;
}

export interface ViewOptions {
  /** The moment of judgement; the survey's own where absent. */
  moment?: number;
  settings?: ReachSettings;
}

/** Of two users with one address the active one counts, then the one whose id comes first. */
const comesFirst = (a: PersonRow, b: PersonRow): boolean => (a.active !== b.active ? a.active : a.id < b.id);

/** Judges an organisation at a moment. Cost: identities × groups / 32 words, plus one pass over entries. */
export function view(built: Organisation, options: ViewOptions = {}): View {
  const moment = options.moment ?? built.takenAt;
  const users = usersAt(built.users, moment);
  const org = users === built.users ? built : { ...built, users };
  const userCount = org.users.length;
  const userOfAddress = new Map<string, number>();
  org.users.forEach((person, u) => {
    for (const address of person.addresses) {
      const other = userOfAddress.get(address);
      if (other === undefined) userOfAddress.set(address, u);
      else if (other !== u && comesFirst(person, org.users[other]!)) userOfAddress.set(address, u);
    }
  });
  const outsiders: string[] = [];
  const identityOfAddress = Int32Array.from(org.addresses, (address) => {
    const user = userOfAddress.get(address);
    if (user !== undefined) return user;
    if (isOwnAddress(org.own, address) || domainOf(address) === '') return -1;
    return userCount + outsiders.push(address) - 1;
  });

  const identityCount = userCount + outsiders.length;
  const gated = org.spaces.filter(
    (row, s) => row.binned || org.gates.start[s + 1]! > org.gates.start[s]!,
  ).length;
  const arena = new Arena(identityCount, org.groups.length + 2 * gated + 200);
  const all = arena.make();
  const members = arena.make();
  const guests = arena.make();
  const outside = arena.make();
  const externals = arena.make();
  const domainNames = new Interner();
  const identityDomain = new Int32Array(identityCount).fill(-1);
  let memberCount = 0;
  for (let i = 0; i < identityCount; i++) {
    const person = org.users[i];
    if (person && !person.active) continue;
    add(all, i);
    if (person?.kind === 'member') {
      add(members, i);
      memberCount++;
      continue;
    }
    add(person ? guests : outside, i);
    add(externals, i);
    const domain = domainOf(person ? (person.addresses[0] ?? '') : outsiders[i - userCount]!);
    identityDomain[i] = domainNames.of(domain);
  }

  const unexpectedDomains = unexpectedAmong(domainNames.names, org.own.partnerDomains);

  const usersOf = new Map<string, number[]>(org.domains.map((d) => [d, []]));
  if (usersOf.size)
    org.users.forEach((p, u) => {
      if (!p.active) return;
      for (const domain of new Set(p.addresses.map(domainOf))) usersOf.get(domain)?.push(u);
    });

  const live = new Uint8Array(org.entries.ids.length);
  for (let e = 0; e < live.length; e++) live[e] = inForce(org, e, moment) ? 1 : 0;

  const groupMembers = closeGroups(org, [], arena);
  const accounts = arena.copy(members);
  union(accounts, guests);
  const v = { all, members, accounts, arena };
  return {
    org,
    moment,
    settings: options.settings ?? DEFAULT_REACH,
    identityCount,
    outsiders,
    identityOfAddress,
    all,
    members,
    guests,
    accounts,
    outside,
    externals,
    unexpected: addThoseOf(unexpectedDomains, identityDomain, arena.make()),
    memberCount,
    identityDomain,
    domainNames: domainNames.names,
    groupDomains: groupMembers.map((set) =>
      domainsOf({ identityDomain, externals }, set, domainNames.names.length),
    ),
    unexpectedDomains,
    groupMembers,
    groupLists: groupMembers.map(listIfSmall),
    domainMembers: org.domains.map((d) => Int32Array.from(usersOf.get(d)!)),
    domainStanding: standingOf(org),
    live,
    spaces: org.spaces.map((_, s) => spaceRules(org, s, groupMembers, v)),
    arena,
  };
}

const standingOf = ({ own, domains }: Organisation): Uint8Array =>
  Uint8Array.from(domains, (d) => (coveredBy(d, own.domains) ? 0 : coveredBy(d, own.partnerDomains) ? 1 : 2));

/** The same with other domains being partners': who is let in where stays as it is, and is shared with the view before. */
export function withPartners(v: View, partnerDomains: string[]): View {
  const org = { ...v.org, own: { ...v.org.own, partnerDomains: partnerDomains.map(domainName) } };
  const unexpectedDomains = unexpectedAmong(v.domainNames, org.own.partnerDomains);
  const unexpected = addThoseOf(unexpectedDomains, v.identityDomain, bitsFor(v.identityCount));
  return { ...v, org, unexpected, unexpectedDomains, domainStanding: standingOf(org) };
}

/** Adds the identities of some domains to a set. */
function addThoseOf(domains: Bits, identityDomain: Int32Array, set: Bits): Bits {
  identityDomain.forEach((d, i) => d >= 0 && has(domains, d) && add(set, i));
  return set;
}

function unexpectedAmong(domains: readonly string[], partners: readonly string[]): Bits {
  const set = bitsFor(domains.length);
  domains.forEach((domain, d) => coveredBy(domain, partners) || add(set, d));
  return set;
}

/** The domains of the external identities in a set. */
export function domainsOf(
  v: Pick<View, 'identityDomain' | 'externals'>,
  set: Bits,
  domainCount: number,
): Bits {
  const found = bitsFor(domainCount);
  const { externals, identityDomain } = v;
  forEachBoth(set, externals, (i) => add(found, identityDomain[i]!));
  return found;
}

const EXISTING = EXTERNAL_SHARING.indexOf('existing-guests');
const OFF = EXTERNAL_SHARING.indexOf('off');

/** Whether an entry is on something known and not held, and has not ended by a moment. */
export const inForce = (org: Organisation, e: number, moment: number): boolean => {
  const node = org.entries.node[e]!;
  return (
    node >= 0 &&
    org.entries.expires[e]! > moment &&
    !(node >= org.spaces.length && org.itemBreaks[node - org.spaces.length]! & HELD)
  );
};

/** The users of an organisation as they are at a moment: an account that has ended is not active. */
const usersAt = (users: PersonRow[], moment: number): PersonRow[] =>
  users.some((u) => u.expiresAt)
    ? users.map((u) => (time(u.expiresAt, Infinity) > moment ? u : { ...u, active: false }))
    : users;

/** What a space takes away. */
export function spaceRules(
  org: Organisation,
  s: number,
  groupMembers: Bits[],
  { all, members, accounts, arena }: Pick<View, 'all' | 'members' | 'accounts'> & { arena?: Arena },
): SpaceRules {
  const level = org.external[s]!;
  const shared = level === OFF ? members : level === EXISTING ? accounts : all;
  const from = org.gates.start[s]!;
  const to = org.gates.start[s + 1]!;
  let gate: Bits | undefined;
  let allowed = shared;
  // of one in the bin nobody passes the gate
  const { binned } = org.spaces[s]!;
  if (to > from || binned) {
    gate = arena?.make() ?? new Int32Array(shared.length);
    for (const g of org.gates.values.subarray(from, to)) if (g >= 0 && !binned) union(gate, groupMembers[g]!);
    allowed = arena?.copy(gate) ?? gate.slice();
    intersect(allowed, shared);
  }
  return {
    shared,
    gate,
    allowed,
    shutsOut: allowed !== all,
    anyoneInert: level > 0 || gate !== undefined,
    wholeDomainsCount: level < EXISTING && !gate,
  };
}

/** The identity a principal names, or −1 where it names none or many. */
export function soleIdentity(v: View, kind: number, number: number): number {
  if (kind !== PRINCIPAL.user && kind !== PRINCIPAL.address) return -1;
  const identity = kind === PRINCIPAL.user ? number : v.identityOfAddress[number]!;
  return identity >= 0 && has(v.all, identity) ? identity : -1;
}

/** Adds everybody a principal stands for. */
export function addPrincipal(v: View, into: Bits, kind: number, number: number): void {
  if (kind === PRINCIPAL.group) {
    const list = v.groupLists[number];
    if (list) for (let i = 0; i < list.length; i++) add(into, list[i]!);
    else union(into, v.groupMembers[number]!);
  } else if (kind === PRINCIPAL.everyone) union(into, v.members);
  else if (kind === PRINCIPAL.domain) for (const u of v.domainMembers[number]!) add(into, u);
  else if (kind === PRINCIPAL.anyone) union(into, v.all);
  else {
    const identity = soleIdentity(v, kind, number);
    if (identity >= 0) add(into, identity);
  }
}

/** Active accounts by address, where several have one: what is granted to it is the next one's where one ends. */
export function sharedAddresses(v: View): Map<string, number[]> {
  const accounts = new Map<string, number[]>();
  v.org.users.forEach((user, u) => {
    if (user.active)
      for (const address of new Set(user.addresses)) {
        const known = accounts.get(address);
        if (known) known.push(u);
        else accounts.set(address, [u]);
      }
  });
  for (const [address, list] of accounts) if (list.length < 2) accounts.delete(address);
  return accounts;
}

/** Whether an identity is counted here, and not told by name (part.ts). */
export const isHidden = (v: View, identity: number): boolean =>
  v.org.hidden?.user[identity] === 1 ||
  (v.org.hidden !== undefined && isHiddenDomain(domainOf(v.outsiders[identity - v.org.users.length] ?? '')));

/** The name of an identity as interfaces give it: a user's id, or an outsider's address. */
export const identityName = (v: View, identity: number): string =>
  v.org.users[identity]?.id ?? v.outsiders[identity - v.org.users.length]!;

/** The identity of an active user's id, or of an outsider's address in any case; −1 where there is none. */
export function findIdentity(v: View, name: string): number {
  const user = v.org.find('user', name);
  if (user >= 0 && v.org.users[user]!.active) return user;
  const outsider = v.outsiders.indexOf(addressName(name));
  return outsider < 0 ? -1 : v.org.users.length + outsider;
}

export function identityKind(v: View, identity: number): 'member' | 'guest' | 'outsider' {
  return v.org.users[identity]?.kind ?? 'outsider';
}
