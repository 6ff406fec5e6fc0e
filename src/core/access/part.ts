/**
 * A part of an organisation: some of its spaces with what lies in them, and nothing else by name. Whoever has no access
 * there and is not named there is still counted, so that how far something reaches is what it is, but under no name.
 */
import { HIDDEN_DOMAIN, HIDDEN_PARTNER } from './addresses.ts';
import type { View } from './view.ts';
import { add, bitsFor, has, union } from './bits.ts';
import { workspaceOf, type Held } from './held.ts';
import type { Lists } from './growable.ts';
import type { Names } from './names.ts';
import { PRINCIPAL, type Entries, type Organisation } from './organisation.ts';
import { addHolders } from './reach.ts';

/** What stands where a name is not told. */
const HIDDEN = 'elsewhere';

export interface Part {
  org: Organisation;
  /** By number in the part: the number in the whole. */
  spaces: Int32Array;
  items: Int32Array;
  entries: Int32Array;
}

/** The spaces that every one of some parts holds, as 0 and 1 by space. */
export function spacesOf(org: Organisation, parts: readonly Held[]): Uint8Array {
  const keep = new Uint8Array(org.spaces.length).fill(1);
  for (const { workspaces, departments, spaces } of parts) {
    const [ws, deps, ids] = [new Set(workspaces), new Set(departments), new Set(spaces)];
    org.spaces.forEach((s, n) => {
      const owned = (s.owners ?? []).some((o) => {
        const department = org.users[org.find('user', o)]?.department;
        return department !== undefined && deps.has(department);
      });
      if (!owned && !ids.has(s.id) && !ws.has(workspaceOf(s.id))) keep[n] = 0;
    });
  }
  return keep;
}

/** The lists of some owners, in their order. */
function pick({ start, values }: Lists, owners: Int32Array): Lists {
  const from = new Int32Array(owners.length + 1);
  owners.forEach((o, k) => (from[k + 1] = from[k]! + start[o + 1]! - start[o]!));
  const out = new Int32Array(from[owners.length]!);
  owners.forEach((o, k) => out.set(values.subarray(start[o], start[o + 1]), from[k]));
  return { start: from, values: out };
}

const pickNames = (names: Names, of: Int32Array): Names => ({
  length: of.length,
  at: (i) => names.at(of[i]!),
});

/** The part of an organisation that some of its spaces are. `madeBy`: by entry, the user who made it, or −1. */
export function partOf(v: View, keep: Uint8Array, madeBy?: Int32Array): Part {
  const { org } = v;
  const S = org.spaces.length;
  const spaces = Int32Array.from([...keep.keys()].filter((s) => keep[s]));
  const spaceNumber = new Int32Array(S).fill(-1);
  spaces.forEach((s, k) => (spaceNumber[s] = k));

  const spaceFirst = new Int32Array(spaces.length + 1);
  spaces.forEach(
    (s, k) => (spaceFirst[k + 1] = spaceFirst[k]! + org.spaceFirst[s + 1]! - org.spaceFirst[s]!),
  );
  const items = new Int32Array(spaceFirst[spaces.length]!);
  const itemNumber = new Int32Array(org.itemIds.length).fill(-1);
  spaces.forEach((s, k) => {
    for (let i = org.spaceFirst[s]!, to = spaceFirst[k]!; i < org.spaceFirst[s + 1]!; i++, to++) {
      items[to] = i;
      itemNumber[i] = to;
    }
  });
  // items of one space stay beside each other, so that a number moves by as much as its space does
  const moved = (i: number, at: number): number => (i < 0 ? -1 : at + i - items[at]!);

  const entries = Int32Array.from(
    (function* () {
      for (const s of spaces) for (let e = org.entries.first[s]!; e < org.entries.first[s + 1]!; e++) yield e;
      for (const i of items)
        for (let e = org.entries.first[S + i]!; e < org.entries.first[S + i + 1]!; e++) yield e;
    })(),
  );
  const entryNumber = new Int32Array(org.entries.ids.length).fill(-1);
  entries.forEach((e, k) => (entryNumber[e] = k));
  const shown = shownIn(v, spaces, items, entries);
  // whoever granted or shared something there has acted there
  if (madeBy) for (const e of entries) if (madeBy[e]! >= 0) add(shown.users, madeBy[e]!);
  const hidden = {
    user: Uint8Array.from(org.users, (_, u) => (has(shown.users, u) ? 0 : 1)),
    group: Uint8Array.from(org.groups, (_, g) => (has(shown.groups, g) ? 0 : 1)),
    address: Uint8Array.from(org.addresses, (_, a) => (has(shown.addresses, a) ? 0 : 1)),
  };
  const partner = (identity: number): boolean => {
    const domain = v.identityDomain[identity] ?? -1;
    return domain >= 0 && !has(v.unexpectedDomains, domain);
  };
  const spaceRows = Array.from(spaces, (s) => {
    const row = org.spaces[s]!;
    return row.parts
      ? { ...row, parts: row.parts.filter((p) => (spaceNumber[org.find('space', p)] ?? -1) >= 0) }
      : row;
  });
  const workspaces = new Set(spaceRows.map((s) => s.workspace));
  const part: Organisation = {
    ...org,
    hidden,
    own: { ...org.own, partnerDomains: [...org.own.partnerDomains, HIDDEN_PARTNER] },
    workspaces: org.workspaces.filter((w) => workspaces.has(w.id)),
    users: org.users.map((p, u) =>
      hidden.user[u]
        ? {
            id: `${HIDDEN} ${u}`,
            name: HIDDEN,
            addresses: p.kind === 'guest' ? [`${u}@${partner(u) ? HIDDEN_PARTNER : HIDDEN_DOMAIN}`] : [],
            active: p.active,
            kind: p.kind,
            ...(p.expiresAt && { expiresAt: p.expiresAt }),
          }
        : p,
    ),
    groups: org.groups.map((g, n) => (hidden.group[n] ? { id: `${HIDDEN} ${n}`, name: HIDDEN } : g)),
    members: shownMembers(org, hidden.group),
    spaces: spaceRows,
    spaceListed: Uint8Array.from(spaces, (s) => org.spaceListed[s]!),
    breakable: Uint8Array.from(spaces, (s) => org.breakable[s]!),
    external: Uint8Array.from(spaces, (s) => org.external[s]!),
    gates: pick(org.gates, spaces),
    itemIds: pickNames(org.itemIds, items),
    itemRow: items.map((i) => org.itemRow[i]!),
    spaceFirst,
    itemEnd: Int32Array.from(items, (i, at) => moved(org.itemEnd[i]!, at)),
    itemSpace: Int32Array.from(items, (i) => spaceNumber[org.itemSpace[i]!]!),
    itemParent: Int32Array.from(items, (i, at) => moved(org.itemParent[i]!, at)),
    itemOwner: Int32Array.from(items, (i) => org.itemOwner[i]!),
    itemBreaks: Uint8Array.from(items, (i) => org.itemBreaks[i]!),
    entries: pickEntries(org, spaces, items, entries, itemNumber, spaceNumber),
    addresses: org.addresses.map((a, n) => {
      if (!hidden.address[n]) return a;
      const identity = v.identityOfAddress[n]!;
      // an address of an account is the account's; one that is nobody's stays so
      if (identity < org.users.length) return `${HIDDEN} ${n}`;
      return `a${n}@${partner(identity) ? HIDDEN_PARTNER : HIDDEN_DOMAIN}`;
    }),
    domains: org.domains.map((d, n) => (has(shown.domains, n) ? d : `${n}.${HIDDEN_DOMAIN}`)),
    problems: [],
    find: (kind, id) => {
      const n = org.find(kind, id);
      if (n < 0) return -1;
      if (kind === 'user') return hidden.user[n] ? -1 : n;
      if (kind === 'group') return hidden.group[n] ? -1 : n;
      if (kind === 'space') return spaceNumber[n]!;
      return kind === 'item' ? itemNumber[n]! : entryNumber[n]!;
    },
  };
  return { org: part, spaces, items, entries };
}

function pickEntries(
  org: Organisation,
  spaces: Int32Array,
  items: Int32Array,
  entries: Int32Array,
  itemNumber: Int32Array,
  spaceNumber: Int32Array,
): Entries {
  const of = org.entries;
  const S = org.spaces.length;
  const first = new Int32Array(spaces.length + items.length + 1);
  const count = (node: number): number => of.first[node + 1]! - of.first[node]!;
  spaces.forEach((s, k) => (first[k + 1] = first[k]! + count(s)));
  items.forEach((i, k) => {
    const at = spaces.length + k;
    first[at + 1] = first[at]! + count(S + i);
  });
  const redeemedKind = pick(of.redeemedKind, entries);
  const redeemedNumber = pick(of.redeemedNumber, entries);
  const redeemedAt = new Float64Array(redeemedKind.values.length);
  entries.forEach((e, k) =>
    redeemedAt.set(
      of.redeemedAt.subarray(of.redeemedKind.start[e], of.redeemedKind.start[e + 1]),
      redeemedKind.start[k],
    ),
  );
  return {
    ids: pickNames(of.ids, entries),
    row: entries.map((e) => of.row[e]!),
    first,
    type: Uint8Array.from(entries, (e) => of.type[e]!),
    node: entries.map((e) => {
      const node = of.node[e]!;
      return node < S ? spaceNumber[node]! : spaces.length + itemNumber[node - S]!;
    }),
    role: Uint8Array.from(entries, (e) => of.role[e]!),
    noCopies: Uint8Array.from(entries, (e) => of.noCopies[e]!),
    expires: Float64Array.from(entries, (e) => of.expires[e]!),
    made: Float64Array.from(entries, (e) => of.made[e]!),
    toKind: pick(of.toKind, entries),
    toNumber: pick(of.toNumber, entries),
    redeemedKind,
    redeemedNumber,
    redeemedAt,
  };
}

/** Members of the groups that are shown; of the others none. */
function shownMembers({ members, groups }: Organisation, hidden: Uint8Array): Lists {
  const start = new Int32Array(groups.length + 1);
  const values: number[] = [];
  for (let g = 0; g < groups.length; g++) {
    if (!hidden[g])
      for (let k = members.start[g]!; k < members.start[g + 1]!; k++) values.push(members.values[k]!);
    start[g + 1] = values.length;
  }
  return { start, values: Int32Array.from(values) };
}

/** Who and what is told by name: whoever can open something there now, owns it, or is named or let in by something there. */
function shownIn(v: View, spaces: Int32Array, items: Int32Array, entries: Int32Array) {
  const { org } = v;
  const users = bitsFor(v.identityCount);
  const groups = bitsFor(org.groups.length);
  const addresses = bitsFor(org.addresses.length);
  const domains = bitsFor(org.domains.length);
  const waiting: number[] = [];
  const takeGroup = (g: number): void => {
    if (g < 0 || has(groups, g)) return;
    add(groups, g);
    waiting.push(g);
  };
  const name = (kind: number, n: number): void => {
    if (n < 0) return;
    if (kind === PRINCIPAL.user) add(users, n);
    else if (kind === PRINCIPAL.group) takeGroup(n);
    else if (kind === PRINCIPAL.domain) add(domains, n);
    else if (kind === PRINCIPAL.address) {
      add(addresses, n);
      const identity = v.identityOfAddress[n]!;
      if (identity >= 0) add(users, identity);
    }
  };
  const { toKind, toNumber, redeemedKind, redeemedNumber } = org.entries;
  for (const e of entries) {
    for (let k = toKind.start[e]!; k < toKind.start[e + 1]!; k++)
      name(toKind.values[k]!, toNumber.values[k]!);
    for (let k = redeemedKind.start[e]!; k < redeemedKind.start[e + 1]!; k++)
      name(redeemedKind.values[k]!, redeemedNumber.values[k]!);
    if (v.live[e] && !isAnyone(v, e)) addHolders(v, users, e);
  }
  for (const s of spaces) {
    const row = org.spaces[s]!;
    if (row.visibility === 'organisation') union(users, v.members);
    for (const owner of row.owners ?? []) {
      const u = org.find('user', owner);
      if (u >= 0) add(users, u);
    }
    for (let k = org.gates.start[s]!; k < org.gates.start[s + 1]!; k++) takeGroup(org.gates.values[k]!);
  }
  for (const i of items) if (org.itemOwner[i]! >= 0) add(users, org.itemOwner[i]!);
  for (let g = waiting.pop(); g !== undefined; g = waiting.pop())
    for (let k = org.members.start[g]!; k < org.members.start[g + 1]!; k++) {
      const m = org.members.values[k]!;
      if (m < 0) takeGroup(~m);
      else add(users, m);
    }
  return { users, groups, addresses, domains };
}

/** Whether it is a grant to anybody at all, who is nobody in particular. */
function isAnyone(v: View, e: number): boolean {
  const { toKind } = v.org.entries;
  for (let k = toKind.start[e]!; k < toKind.start[e + 1]!; k++)
    if (toKind.values[k] === PRINCIPAL.anyone) return true;
  return false;
}
