/** Changes to an organisation's access, and the view as it would be with them; nothing is touched. */
import {
  AUDIENCES,
  ROLES,
  type ExternalSharing,
  type Recipient,
  type SpaceRow,
  type WorkspaceRow,
} from '../model.ts';
import type { FieldsOf } from '../remedy/fields.ts';
import { addressName } from './addresses.ts';
import type { Bits } from './bits.ts';
import { closeGroups, groupsAbove, listIfSmall } from './groups.ts';
import { listsBy, type Lists } from './growable.ts';
import {
  BREAKS,
  externalLevel,
  HELD_ITSELF,
  PRINCIPAL,
  spreadHeld,
  time,
  type Organisation,
} from './organisation.ts';
import { domainsOf, inForce, spaceRules, view, type View } from './view.ts';

/** One change: taken away, or some fields set (null takes a field away). */
export type Change =
  | { grant: string; set?: FieldsOf['grant'] }
  | { link: string; set?: FieldsOf['link'] }
  | { member: { group: string; value: string } }
  | { space: string; set: FieldsOf['space'] }
  | { item: string; set: FieldsOf['item'] }
  | { user: string; set: FieldsOf['person'] }
  | { workspace: string; set: { externalSharing?: ExternalSharing | null } };

/** The change that takes an entry away. */
export const withdrawal = ({ entries }: Organisation, e: number): Change =>
  entries.type[e] ? { link: entries.ids.at(e) } : { grant: entries.ids.at(e) };

export interface Alteration {
  view: View;
  /** Entries withdrawn or altered. */
  entries: Set<number>;
  /** Groups that stand for other people than before. */
  groups: Set<number>;
  /** Spaces whose settings or rules are others. */
  spaces: Set<number>;
  /** Items that inherit, are owned or are held otherwise. */
  items: Set<number>;
  /** Users whose accounts are active no more. */
  users: Set<number>;
  /** Changes to something that is not there. */
  unknown: Change[];
}

/** A row with some fields set; null takes a field away. */
export function withFields<T extends object>(row: T, fields: object): T {
  return Object.fromEntries(Object.entries({ ...row, ...fields }).filter(([, v]) => v !== null)) as T;
}

/** The view with accounts changed, and those that are active no more. */
function withUsers(
  v: View,
  changes: readonly Change[],
): { view: View; ended: Set<number>; unknown: Change[] } {
  const ended = new Set<number>();
  const unknown: Change[] = [];
  if (!changes.some((c) => 'user' in c)) return { view: v, ended, unknown };
  const users = v.org.users.slice();
  for (const change of changes) {
    if (!('user' in change)) continue;
    const u = v.org.find('user', change.user);
    if (u < 0) unknown.push(change);
    else users[u] = withFields(users[u]!, change.set);
  }
  const later = users.every((row, u) => row === v.org.users[u])
    ? v
    : view({ ...v.org, users }, { moment: v.moment, settings: v.settings });
  users.forEach((row, u) => {
    if (row !== v.org.users[u] && v.org.users[u]!.active !== later.org.users[u]!.active) ended.add(u);
  });
  return { view: ended.size ? later : v, ended, unknown };
}

/** The view with changes applied. What is not changed is shared with the view given. */
export function alter(before: View, changes: readonly Change[]): Alteration {
  const { view: v, ended, unknown } = withUsers(before, changes);
  const org: Organisation = { ...v.org, entries: { ...v.org.entries } };
  const live = v.live.slice();
  const altered: Alteration = {
    view: { ...v, org, live },
    entries: new Set(),
    groups: new Set(),
    spaces: new Set(),
    items: new Set(),
    users: ended,
    unknown,
  };
  const own = <K extends 'role' | 'type' | 'expires' | 'noCopies'>(column: K): Organisation['entries'][K] => {
    if (org.entries[column] === v.org.entries[column])
      org.entries[column] = v.org.entries[column].slice() as never;
    return org.entries[column];
  };
  const withdrawn = new Set<number>();
  const removed = new Map<number, Set<number>>();
  const gates = new Map<number, number[]>();
  const recipientsOf = new Map<number, Recipient[]>();
  for (const change of changes) {
    if ('grant' in change || 'link' in change) {
      const [kind, id] =
        'grant' in change ? (['grant', change.grant] as const) : (['link', change.link] as const);
      const e = v.org.find(kind, id);
      if (e < 0) {
        altered.unknown.push(change);
        continue;
      }
      altered.entries.add(e);
      if (!change.set) withdrawn.add(e);
      if (!change.set || withdrawn.has(e)) {
        live[e] = 0;
        continue;
      }
      const { role, expiresAt, audience, noCopies, recipients } = change.set as FieldsOf['link'];
      if (noCopies !== undefined) own('noCopies')[e] = noCopies ? 1 : 0;
      if (recipients) recipientsOf.set(e, recipients);
      if (role) own('role')[e] = ROLES.indexOf(role);
      if (audience) own('type')[e] = 1 + AUDIENCES.indexOf(audience);
      if (expiresAt !== undefined) own('expires')[e] = time(expiresAt ?? undefined, Infinity);
      live[e] = inForce(org, e, v.moment) ? 1 : 0;
    } else if ('member' in change) {
      const g = v.org.find('group', change.member.group);
      const members =
        g < 0 ? [] : v.org.members.values.subarray(v.org.members.start[g], v.org.members.start[g + 1]);
      const [user, group] = [
        v.org.find('user', change.member.value),
        v.org.find('group', change.member.value),
      ];
      const found = [...(user < 0 ? [] : [user]), ...(group < 0 ? [] : [~group])].filter((m) =>
        members.includes(m as never),
      );
      if (!found.length) altered.unknown.push(change);
      for (const m of found) removed.set(g, (removed.get(g) ?? new Set()).add(m));
    } else if ('space' in change) {
      const s = v.org.find('space', change.space);
      if (s < 0) {
        altered.unknown.push(change);
        continue;
      }
      altered.spaces.add(s);
      if (org.spaces === v.org.spaces) org.spaces = v.org.spaces.slice();
      const row: SpaceRow = withFields(org.spaces[s]!, change.set);
      org.spaces[s] = row;
      if ('gate' in change.set)
        gates.set(
          s,
          (row.gate ?? []).map((g) => v.org.find('group', g)),
        );
    } else if ('item' in change) {
      const i = v.org.find('item', change.item);
      if (i < 0) {
        altered.unknown.push(change);
        continue;
      }
      altered.items.add(i);
      if ('inherits' in change.set && v.org.breakable[v.org.itemSpace[i]!]) {
        if (org.itemBreaks === v.org.itemBreaks) org.itemBreaks = v.org.itemBreaks.slice();
        org.itemBreaks[i] =
          change.set.inherits === false ? org.itemBreaks[i]! | BREAKS : org.itemBreaks[i]! & ~BREAKS;
      }
      const { held, binned } = change.set;
      if (held !== undefined || binned !== undefined) {
        if (org.itemBreaks === v.org.itemBreaks) org.itemBreaks = v.org.itemBreaks.slice();
        org.itemBreaks[i] =
          held || binned ? org.itemBreaks[i]! | HELD_ITSELF : org.itemBreaks[i]! & ~HELD_ITSELF;
        spreadHeld(org.itemBreaks, org.itemParent, i, org.itemEnd[i]!);
        const S = org.spaces.length;
        for (let e = org.entries.first[S + i]!; e < org.entries.first[S + org.itemEnd[i]!]!; e++)
          live[e] = !withdrawn.has(e) && inForce(org, e, v.moment) ? 1 : 0;
      }
      if ('owner' in change.set) {
        if (org.itemOwner === v.org.itemOwner) org.itemOwner = v.org.itemOwner.slice();
        org.itemOwner[i] = change.set.owner ? v.org.find('user', change.set.owner) : -1;
      }
    } else if ('workspace' in change) {
      const w = org.workspaces.findIndex((x) => x.id === change.workspace);
      if (w < 0) {
        altered.unknown.push(change);
        continue;
      }
      org.workspaces = org.workspaces.slice();
      org.workspaces[w] = withFields<WorkspaceRow>(org.workspaces[w]!, change.set);
      org.spaces.forEach((row, s) => row.workspace === change.workspace && altered.spaces.add(s));
    }
  }

  if (recipientsOf.size) nameOthers(v, org, recipientsOf);
  if (removed.size) closeAgain(v, altered, removed);
  forgetUnnamed(v, altered.view, withdrawn, [...withdrawn, ...recipientsOf.keys()]);
  if (gates.size) {
    const lists = org.spaces.map(
      (_, s) =>
        gates.get(s) ?? [...v.org.gates.values.subarray(v.org.gates.start[s], v.org.gates.start[s + 1])],
    );
    org.gates = listsBy(
      Int32Array.from(lists.flatMap((list, s) => list.map(() => s))),
      Int32Array.from(lists.flat()),
      lists.length,
    );
  }
  for (let s = 0; altered.groups.size && s < org.spaces.length; s++)
    if (
      org.gates.values.subarray(org.gates.start[s], org.gates.start[s + 1]).some((g) => altered.groups.has(g))
    )
      altered.spaces.add(s);
  if (altered.spaces.size) {
    org.external = v.org.external.slice();
    const workspaces = new Map(org.workspaces.map((w) => [w.id, w]));
    altered.view.spaces = v.spaces.slice();
    for (const s of altered.spaces) {
      org.external[s] = externalLevel(workspaces.get(org.spaces[s]!.workspace), org.spaces[s]!);
      altered.view.spaces[s] = spaceRules(org, s, altered.view.groupMembers, { ...v, arena: undefined });
    }
  }
  return altered;
}

/** Puts other recipients to some links. An address that nothing named before stands for nobody. */
function nameOthers(v: View, org: Organisation, recipientsOf: ReadonlyMap<number, Recipient[]>): void {
  const { toKind, toNumber } = v.org.entries;
  const owners: number[] = [];
  const kinds: number[] = [];
  const numbers: number[] = [];
  const put = (e: number, kind: number, n: number): void => {
    if (n < 0) return;
    owners.push(e);
    kinds.push(kind);
    numbers.push(n);
  };
  for (let e = 0; e < v.live.length; e++) {
    const others = recipientsOf.get(e);
    if (!others)
      for (let i = toKind.start[e]!; i < toKind.start[e + 1]!; i++)
        put(e, toKind.values[i]!, toNumber.values[i]!);
    for (const r of others ?? [])
      if ('user' in r) put(e, PRINCIPAL.user, v.org.find('user', r.user));
      else if ('group' in r) put(e, PRINCIPAL.group, v.org.find('group', r.group));
      else put(e, PRINCIPAL.address, v.org.addresses.indexOf(addressName(r.email)));
  }
  const owner = Int32Array.from(owners);
  org.entries.toKind = listsBy(owner, Int32Array.from(kinds), v.live.length);
  org.entries.toNumber = listsBy(owner, Int32Array.from(numbers), v.live.length);
}

/** Whether two sets of one length hold the same. */
function same(a: Bits, b: Bits): boolean {
  for (let w = 0; w < a.length; w++) if (a[w] !== b[w]) return false;
  return true;
}

/** Makes anew the sets of those groups that hold, however deep, a group that lost a member. */
function closeAgain(v: View, altered: Alteration, removed: ReadonlyMap<number, ReadonlySet<number>>): void {
  const { org } = altered.view;
  const concerned = groupsAbove(v.org, removed.keys());
  const { start, values } = v.org.members;
  const left = { start: start.slice(), values: new Int32Array(values.length) };
  let n = 0;
  for (let g = 0; g < org.groups.length; g++) {
    left.start[g] = n;
    const gone = removed.get(g);
    if (gone) {
      for (let i = start[g]!; i < start[g + 1]!; i++)
        if (!gone.has(values[i]!)) left.values[n++] = values[i]!;
    } else {
      left.values.set(values.subarray(start[g], start[g + 1]), n);
      n += start[g + 1]! - start[g]!;
    }
  }
  left.start[org.groups.length] = n;
  org.members = { start: left.start, values: left.values.slice(0, n) };
  const sets = closeGroups(
    org,
    v.groupMembers.map((set, g) => (concerned.has(g) ? undefined : set)),
  );
  const lists = v.groupLists.slice();
  const domains = v.groupDomains.slice();
  for (const g of concerned) {
    if (same(sets[g]!, v.groupMembers[g]!)) continue;
    altered.groups.add(g);
    lists[g] = listIfSmall(sets[g]!);
    domains[g] = domainsOf(v, sets[g]!, v.domainNames.length);
  }
  altered.view.groupMembers = sets;
  altered.view.groupLists = lists;
  altered.view.groupDomains = domains;
}

/** By number of the address: how often entries name it; counted once for the lists of an organisation. */
const mentioned = new WeakMap<Lists, Int32Array>();
function mentions(kinds: Lists, numbers: Lists, addresses: number): Int32Array {
  let counts = mentioned.get(kinds);
  if (!counts) {
    mentioned.set(kinds, (counts = new Int32Array(addresses)));
    for (let i = 0; i < kinds.values.length; i++)
      if (kinds.values[i] === PRINCIPAL.address) counts[numbers.values[i]!]!++;
  }
  return counts;
}

/**
 * An outsider is known by what names them: one whom only withdrawn entries, or recipients that are no
 * more, named is no longer among
 * those to whom a grant for anyone gives something.
 */
function forgetUnnamed(
  v: View,
  later: View,
  withdrawn: ReadonlySet<number>,
  concerned: readonly number[],
): void {
  const listsOf = ({ org: { entries } }: View) =>
    [
      [entries.toKind, entries.toNumber],
      [entries.redeemedKind, entries.redeemedNumber],
    ] as const;
  const maybe = new Set<number>();
  for (const e of concerned)
    for (const [kinds, numbers] of listsOf(v))
      for (let i = kinds.start[e]!; i < kinds.start[e + 1]!; i++)
        if (
          kinds.values[i] === PRINCIPAL.address &&
          v.identityOfAddress[numbers.values[i]!]! >= v.org.users.length
        )
          maybe.add(numbers.values[i]!);
  if (!maybe.size) return;
  const left = new Map<number, number>();
  const count = (a: number, n: number): void => void left.set(a, (left.get(a) ?? 0) + n);
  for (const [kinds, numbers] of listsOf(later)) {
    for (const a of maybe) count(a, mentions(kinds, numbers, v.org.addresses.length)[a]!);
    for (const e of withdrawn)
      for (let i = kinds.start[e]!; i < kinds.start[e + 1]!; i++)
        if (kinds.values[i] === PRINCIPAL.address) count(numbers.values[i]!, -1);
  }
  for (const a of maybe) if (left.get(a)! > 0) maybe.delete(a);
  later.all = v.all.slice();
  for (const a of maybe) {
    const identity = v.identityOfAddress[a]!;
    later.all[identity >>> 5]! &= ~(1 << (identity & 31));
  }
}

export type NamedKind = 'grant' | 'link' | 'user' | 'group' | 'space' | 'item' | 'workspace';

/** What a change names that the organisation does not have. */
export function unknownIn(org: Organisation, change: Change): { kind: NamedKind; id: string }[] {
  if ('member' in change) {
    const { group, value } = change.member;
    return [
      ...(org.find('group', group) < 0 ? [{ kind: 'group' as const, id: group }] : []),
      ...(org.find('user', value) < 0 && org.find('group', value) < 0
        ? [{ kind: 'user' as const, id: value }]
        : []),
    ];
  }
  if ('workspace' in change)
    return org.workspaces.some((w) => w.id === change.workspace)
      ? []
      : [{ kind: 'workspace', id: change.workspace }];
  return (['grant', 'link', 'user', 'space', 'item'] as const).flatMap((kind) => {
    const id = (change as Partial<Record<typeof kind, string>>)[kind];
    return id !== undefined && org.find(kind, id) < 0 ? [{ kind, id }] : [];
  });
}
