/**
 * An organisation judged at one moment: who its identities are, what each group and domain stands
 * for, which grants and links are in force. Definitions: docs/access.md.
 */
import { coveredBy, domainOf, EXTERNAL_SHARING } from '../model.ts';
import { add, bitsFor, intersection, union, type Bits } from './bits.ts';
import { Interner, listsBy, type Lists } from './growable.ts';
import { isOwnAddress, PRINCIPAL, type Organisation } from './organisation.ts';

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
  outside: Bits;
  /** Guests and outsiders. */
  externals: Bits;
  /** External identities whose domain is not a partner's. */
  unexpected: Bits;
  memberCount: number;
  /** Index into `domainNames` by identity; −1 for members. */
  identityDomain: Int32Array;
  domainNames: string[];
  /** Everybody a group stands for, nesting followed. */
  groupMembers: Bits[];
  /** Active users with an address in exactly that domain, by the organisation's domain number. */
  domainMembers: Bits[];
  /** By domain number: 0 the organisation's own, 1 a partner's, 2 any other. */
  domainStanding: Uint8Array;
  /** 1 where the entry is in force at the moment. */
  live: Uint8Array;
  entriesOn: Lists;
  /** Items by parent node, in the order of their numbers. */
  children: Lists;
  spaces: SpaceRules[];
}

/** What a space takes away, whatever is granted in it. */
export interface SpaceRules {
  /** Identities that its external sharing lets in. */
  shared: Bits;
  /** Identities that pass its gate; undefined where it has none. */
  gate: Bits | undefined;
  /** Both together. */
  allowed: Bits;
  /** Grants and links for anyone give nothing to anybody. */
  anyoneInert: boolean;
  /** A whole domain that is granted something counts as reaching it. */
  wholeDomainsCount: boolean;
}

export interface ViewOptions {
  /** The moment of judgement; the survey's own where absent. */
  moment?: number;
  settings?: ReachSettings;
  /** Entries to be taken as absent. */
  without?: Iterable<number>;
}

/** Judges an organisation at a moment. Cost: identities × groups / 32 words, plus one pass over entries. */
export function view(org: Organisation, options: ViewOptions = {}): View {
  const moment = options.moment ?? org.takenAt;
  const userCount = org.users.length;
  const userOfAddress = new Map<string, number>();
  org.users.forEach((person, u) => {
    for (const address of person.addresses) {
      const other = userOfAddress.get(address);
      if (other === undefined) userOfAddress.set(address, u);
      else if (other !== u && !org.users[other]!.active && person.active) userOfAddress.set(address, u);
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
  const sets = Array.from({ length: 6 }, () => bitsFor(identityCount)) as [
    Bits,
    Bits,
    Bits,
    Bits,
    Bits,
    Bits,
  ];
  const [all, members, guests, outside, externals, unexpected] = sets;
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
    if (!coveredBy(domain, org.own.partnerDomains)) add(unexpected, i);
  }

  const domainMembers = org.domains.map((domain) => {
    const set = bitsFor(identityCount);
    org.users.forEach((p, u) => {
      if (p.active && p.addresses.some((a) => domainOf(a) === domain)) add(set, u);
    });
    return set;
  });

  const live = new Uint8Array(org.entries.ids.length);
  for (let e = 0; e < live.length; e++)
    live[e] = org.entries.node[e]! >= 0 && org.entries.expires[e]! > moment ? 1 : 0;
  for (const e of options.without ?? []) live[e] = 0;

  const groupMembers = closeGroups(org, identityCount);
  const v = { all, members, guests };
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
    outside,
    externals,
    unexpected,
    memberCount,
    identityDomain,
    domainNames: domainNames.names,
    groupMembers,
    domainMembers,
    domainStanding: Uint8Array.from(org.domains, (d) =>
      coveredBy(d, org.own.domains) ? 0 : coveredBy(d, org.own.partnerDomains) ? 1 : 2,
    ),
    live,
    ...byNode(org),
    spaces: org.spaces.map((_, s) => spaceRules(org, s, groupMembers, v)),
  };
}

const EXISTING = EXTERNAL_SHARING.indexOf('existing-guests');
const OFF = EXTERNAL_SHARING.indexOf('off');

function spaceRules(
  org: Organisation,
  s: number,
  groupMembers: Bits[],
  sets: { all: Bits; members: Bits; guests: Bits },
): SpaceRules {
  const level = org.external[s]!;
  let shared = sets.all;
  if (level === OFF) shared = sets.members;
  else if (level === EXISTING) {
    shared = sets.members.slice();
    union(shared, sets.guests);
  }
  const from = org.gates.start[s]!;
  const to = org.gates.start[s + 1]!;
  let gate: Bits | undefined;
  if (to > from) {
    gate = new Int32Array(shared.length);
    for (const g of org.gates.values.subarray(from, to)) if (g >= 0) union(gate, groupMembers[g]!);
  }
  return {
    shared,
    gate,
    allowed: gate ? intersection(shared, gate) : shared,
    anyoneInert: level > 0 || gate !== undefined,
    wholeDomainsCount: level < EXISTING && !gate,
  };
}

function byNode(org: Organisation): { entriesOn: Lists; children: Lists } {
  const nodes = org.spaces.length + org.itemIds.length;
  const placed: number[] = [];
  org.entries.node.forEach((n, e) => {
    if (n >= 0) placed.push(e);
  });
  const on = Int32Array.from(placed);
  return {
    entriesOn: listsBy(
      on.map((e) => org.entries.node[e]!),
      on,
      nodes,
    ),
    children: listsBy(
      org.itemParent.map((p, i) => (p < 0 ? org.itemSpace[i]! : org.spaces.length + p)),
      Int32Array.from(org.itemParent, (_, i) => i),
      nodes,
    ),
  };
}

/**
 * Everybody each group stands for. Groups that contain each other (a cycle) stand for the same
 * people: strongly connected groups are found by Tarjan's algorithm (1972), which yields them
 * members first, so that each set is made from finished ones.
 */
export function closeGroups(org: Organisation, identityCount: number): Bits[] {
  const { start, values } = org.members;
  const count = org.groups.length;
  const closed = new Array<Bits>(count);
  const index = new Int32Array(count).fill(-1);
  const low = new Int32Array(count);
  const next = new Int32Array(count);
  const onStack = new Uint8Array(count);
  const stack: number[] = [];
  let visited = 0;
  for (let root = 0; root < count; root++) {
    if (index[root]! >= 0) continue;
    const path = [root];
    while (path.length) {
      const g = path[path.length - 1]!;
      if (index[g]! < 0) {
        index[g] = low[g] = visited++;
        next[g] = start[g]!;
        stack.push(g);
        onStack[g] = 1;
      }
      let deeper = false;
      while (next[g]! < start[g + 1]!) {
        const m = values[next[g]!++]!;
        if (m >= 0) continue;
        if (index[~m]! < 0) {
          path.push(~m);
          deeper = true;
          break;
        }
        if (onStack[~m]) low[g] = Math.min(low[g]!, index[~m]!);
      }
      if (deeper) continue;
      path.pop();
      const above = path[path.length - 1];
      if (above !== undefined) low[above] = Math.min(low[above]!, low[g]!);
      if (low[g] !== index[g]) continue;
      const set = bitsFor(identityCount);
      let member: number;
      const together: number[] = [];
      do {
        member = stack.pop()!;
        onStack[member] = 0;
        together.push(member);
      } while (member !== g);
      for (const t of together)
        for (const m of values.subarray(start[t], start[t + 1])) {
          if (m < 0) {
            const inner = closed[~m];
            if (inner) union(set, inner);
          } else if (org.users[m]!.active) add(set, m);
        }
      for (const t of together) closed[t] = set;
    }
  }
  return closed;
}

/** The identity a principal names, or −1 where it names none or many. */
export function soleIdentity(v: View, kind: number, number: number): number {
  if (kind === PRINCIPAL.user) return v.org.users[number]!.active ? number : -1;
  if (kind === PRINCIPAL.address) {
    const identity = v.identityOfAddress[number]!;
    return identity >= 0 && (identity >= v.org.users.length || v.org.users[identity]!.active) ? identity : -1;
  }
  return -1;
}

/** Adds everybody a principal stands for. */
export function addPrincipal(v: View, into: Bits, kind: number, number: number): void {
  if (kind === PRINCIPAL.group) union(into, v.groupMembers[number]!);
  else if (kind === PRINCIPAL.everyone) union(into, v.members);
  else if (kind === PRINCIPAL.domain) union(into, v.domainMembers[number]!);
  else if (kind === PRINCIPAL.anyone) union(into, v.all);
  else {
    const identity = soleIdentity(v, kind, number);
    if (identity >= 0) add(into, identity);
  }
}

/** The name of an identity as interfaces give it: a user's id, or an outsider's address. */
export const identityName = (v: View, identity: number): string =>
  v.org.users[identity]?.id ?? v.outsiders[identity - v.org.users.length]!;

/** The identity of an active user's id, or of an outsider's address in any case; −1 where there is none. */
export function findIdentity(v: View, name: string): number {
  const user = v.org.find('user', name);
  if (user >= 0 && v.org.users[user]!.active) return user;
  const outsider = v.outsiders.indexOf(name.toLowerCase());
  return outsider < 0 ? -1 : v.org.users.length + outsider;
}

export function identityKind(v: View, identity: number): 'member' | 'guest' | 'outsider' {
  return v.org.users[identity]?.kind ?? 'outsider';
}
