/** People, guests, outsiders, groups and outside domains: what each can reach, and where it is named. */
import { countBoth, has, type Bits } from '../core/access/bits.ts';
import type { Lists } from '../core/access/growable.ts';
import { groupsAbove, groupsHolding, groupsHoldingGroup, groupsOfUser } from '../core/access/groups.ts';
import { PRINCIPAL } from '../core/access/organisation.ts';
import { dangling, type Dangling } from '../core/access/questions.ts';
import { namedBy, numberOf } from '../core/access/named.ts';
import { isHiddenDomain } from '../core/access/addresses.ts';
import { findIdentity, identityKind, identityName, isHidden } from '../core/access/view.ts';
import { whatOf, type Asked } from '../core/access/what.ts';
import { reachedByGroup } from '../core/exposure/holders.ts';
import { firstOf } from '../core/first.ts';
import { nameOrder } from '../core/name-order.ts';
import { compileFilter, type Getters } from '../core/filter/filter.ts';
import { capabilityNames, TIERS, type Capability } from '../core/model.ts';
import type {
  EntryRef,
  HoldingRow,
  IdentityDossier,
  IdentityPage,
  IdentityRow,
  WhatSummary,
} from '../dto/access.ts';
import { entryRef, nodeKey, nodeName, nodeRef, workspaceName, whereWords } from './describe.ts';
import { below } from './holdings.ts';
import { sharesIn } from './crosstab.ts';
import { reachedByDomain } from './outside.ts';
import type { Loaded } from './loaded.ts';
import type { PlannedChange } from '../core/remedy/plan.ts';
import { compareBy, type Sort } from '../core/sorts.ts';
import { makeable } from './planned.ts';

/** A group with this share of all active members or more holds nearly everybody. */
const NEARLY_EVERYBODY = 0.5;

type PeopleKey = 'name' | 'items' | 'heavy' | 'grants' | 'members' | 'external';
export interface PeopleQuery {
  /** A condition over `FIELDS.people`. */
  where?: string | undefined;
  show: 'members' | 'guests' | 'outsiders' | 'groups' | 'domains' | 'dangling';
  text?: string | undefined;
  sort: readonly Sort<PeopleKey>[];
  limit: number;
  offset: number;
}

export interface Known {
  dangling: Dangling[];
  /** Grants and links in force by what they name: identities, then groups, then whole domains. */
  named: Lists;
  /** Files, and heavy ones, by group, those that were asked for. */
  counted: Map<number, { items: number; heavy: number }>;
  ofGroup?: (group: number) => number[];
  /** The same of domains, by name. */
  ofDomain?: (name: string) => { items: number; heavy: number };
  cyclic: Set<number>;
  /** Those of a kind, by name. */
  sorted: Map<PeopleQuery['show'], Candidate[]>;
}
const known = new WeakMap<Loaded, Known>();

/** Who is named by what, made once for a survey. */
export function knownOf(l: Loaded): Known {
  let k = known.get(l);
  if (k) return k;
  k = {
    dangling: dangling(l.view),
    named: namedBy(l.view),
    counted: new Map(),
    cyclic: cyclicGroups(l),
    sorted: new Map(),
  };
  known.set(l, k);
  return k;
}

const entriesOf = ({ start, values }: Lists, number: number): Int32Array =>
  number < 0 ? Int32Array.of() : values.subarray(start[number], start[number + 1]);

const keyOfIdentity = (l: Loaded, identity: number): string =>
  `${identity < l.org.users.length ? 'user' : 'outsider'}:${identityName(l.view, identity)}`;

/** Groups that, however deep, hold themselves. */
function cyclicGroups(l: Loaded): Set<number> {
  // groups that contain each other are given one set together (groups.ts)
  const { groupMembers } = l.view;
  const holders = new Map<Bits, number>();
  for (const set of groupMembers) holders.set(set, (holders.get(set) ?? 0) + 1);
  const { members } = l.org;
  const found = new Set<number>();
  groupMembers.forEach((set, g) => {
    const own = members.values.subarray(members.start[g], members.start[g + 1]);
    if (holders.get(set)! > 1 || own.includes(~g)) found.add(g);
  });
  return found;
}

/** What an answer of `whatOf` comes to: items, and heavy ones. */
function countWhat(l: Loaded, asked: Asked): { items: number; heavy: number } {
  if ('identity' in asked && asked.identity >= 0)
    return { items: l.tally.files[asked.identity]!, heavy: l.tally.heavy[asked.identity]! };
  const k = knownOf(l);
  if ('domain' in asked) {
    if (!k.ofDomain) {
      const names = domainList(l);
      const numbers = new Map(names.map((name, d) => [name, d]));
      const reached = reachedByDomain(l, numbers, names.length);
      k.ofDomain = (name) => {
        const { files = 0, heavy = 0 } = numbers.has(name) ? reached(numbers.get(name)!) : {};
        return { items: files, heavy };
      };
    }
    return k.ofDomain(asked.domain);
  }
  if (!('group' in asked)) return { items: 0, heavy: 0 };
  const { counts } = l.tally;
  k.ofGroup ??= reachedByGroup(
    l.view,
    l.columns,
    sharesIn(l),
    [1, 2].map((from) => counts.map((c) => (c >= from ? 1 : 0))),
  );
  let c = k.counted.get(asked.group);
  if (!c) {
    const [items, heavy] = k.ofGroup(asked.group) as [number, number];
    k.counted.set(asked.group, (c = { items, heavy }));
  }
  return c;
}

/** The domains that somebody external is of, or that are granted something as a whole and are not the organisation's own. */
const domainList = ({ org, view: v }: Loaded): string[] =>
  [...new Set([...v.domainNames, ...org.domains.filter((_, d) => v.domainStanding[d]! > 0)])].filter(
    (d) => d && !isHiddenDomain(d),
  );

interface Candidate {
  key: string;
  name: string;
  asked: Asked;
  row: () => Omit<IdentityRow, 'items' | 'heavy'>;
  members: number;
  external: number;
  grants: number;
}

function candidates(l: Loaded, show: PeopleQuery['show']): Candidate[] {
  const { org, view: v } = l;
  const k = knownOf(l);
  const grantsOf = (number: number): number => entriesOf(k.named, number).length;
  if (show === 'groups')
    return org.groups.flatMap((g, n) => {
      if (org.hidden?.group[n]) return [];
      const key = `group:${g.id}`;
      const set = v.groupMembers[n]!;
      const members = countBoth(set, v.members);
      const external = countBoth(set, set) - members;
      return {
        key,
        name: g.name,
        asked: { group: n },
        members,
        external,
        grants: grantsOf(numberOf(l.view, PRINCIPAL.group, n)),
        row: () => ({
          key,
          kind: 'group',
          name: g.name,
          detail: groupDetail(l, n),
          members,
          external,
          share: v.memberCount ? members / v.memberCount : 0,
          grants: grantsOf(numberOf(l.view, PRINCIPAL.group, n)),
          flags: [
            ...(v.memberCount && members >= NEARLY_EVERYBODY * v.memberCount
              ? ['holds nearly everybody']
              : []),
            ...(k.cyclic.has(n) ? ['holds itself'] : []),
            ...(external ? ['outsiders inside'] : []),
            ...(l.groupRules.has(g.id) ? ['by rule'] : []),
            ...(members + external === 0 ? ['empty'] : []),
          ],
        }),
      };
    });
  if (show === 'domains') {
    const people = new Int32Array(v.domainNames.length);
    /** Grants by domain, to its people and to it as a whole. */
    const grantsTo = new Int32Array(v.domainNames.length);
    v.identityDomain.forEach((d, i) => {
      if (d < 0 || !has(v.all, i)) return;
      people[d]!++;
      if (i >= org.users.length) grantsTo[d]! += grantsOf(i);
    });
    const numbers = new Map(v.domainNames.map((name, d) => [name, d]));
    return domainList(l).map((name) => {
      const key = `domain:${name}`;
      const d = numbers.get(name) ?? -1;
      const standing = org.domains.indexOf(name);
      const unexpected = d >= 0 ? has(v.unexpectedDomains, d) : v.domainStanding[standing] === 2;
      const whole = grantsOf(numberOf(l.view, PRINCIPAL.domain, standing));
      const external = people[d] ?? 0;
      const grants = (grantsTo[d] ?? 0) + whole;
      return {
        key,
        name,
        asked: { domain: name },
        members: 0,
        external,
        grants,
        row: () => ({
          key,
          kind: 'domain',
          name,
          detail: unexpected ? 'not a partner' : 'a partner’s',
          external,
          grants,
          flags: [...(unexpected ? ['unexpected'] : []), ...(whole ? ['granted as a whole'] : [])],
        }),
      };
    });
  }
  const wanted = { members: 'member', guests: 'guest', outsiders: 'outsider', dangling: '' }[show];
  const found: Candidate[] = [];
  for (let i = 0; i < v.identityCount; i++) {
    if (!has(v.all, i) || identityKind(v, i) !== wanted || isHidden(v, i)) continue;
    const key = keyOfIdentity(l, i);
    const person = org.users[i];
    const name = person?.name ?? identityName(v, i);
    found.push({
      key,
      name,
      asked: { identity: i },
      members: 0,
      external: 0,
      grants: grantsOf(i),
      row: () => ({
        key,
        kind: identityKind(v, i),
        name,
        detail: person
          ? [person.addresses[0], person.department].filter(Boolean).join(', ')
          : 'an address only',
        grants: grantsOf(i),
        flags:
          identityKind(v, i) === 'member' ? [] : has(v.unexpected, i) ? ['not a partner’s'] : ['partner'],
      }),
    });
  }
  return found;
}

function groupDetail(l: Loaded, n: number): string {
  const { members } = l.org;
  let people = 0;
  let groups = 0;
  for (const m of members.values.subarray(members.start[n], members.start[n + 1])) {
    if (m < 0) groups++;
    else people++;
  }
  return `${people} direct${groups ? `, ${groups} ${groups === 1 ? 'group' : 'groups'} inside` : ''}`;
}

/** Grants in force to those who can do nothing any more. */
function danglingRows(l: Loaded): IdentityRow[] {
  const byName = new Map<string, { because: Dangling['because']; entries: number[] }>();
  for (const d of knownOf(l).dangling) {
    const at = byName.get(d.name) ?? byName.set(d.name, { because: d.because, entries: [] }).get(d.name)!;
    at.entries.push(d.entry);
  }
  return [...byName].map(([name, { because, entries }]) => ({
    key: `user:${name}`,
    kind: 'inactive' as const,
    name: l.org.users[l.org.find('user', name)]?.name ?? name,
    detail: {
      inactive: 'the account is not active',
      unknown: 'nobody of this id is listed',
      'own-address': 'an address of our own that is nobody’s',
    }[because],
    items: 0,
    heavy: 0,
    grants: entries.length,
    dangling: entries.length,
    flags: [entryRef(l, entries[0]!).on.name],
  }));
}

/** What a filter can ask of a row, with what it reaches counted only where it is asked for. */
const FIELDS: Getters<
  { row: Omit<IdentityRow, 'items' | 'heavy'>; count: () => { items: number; heavy: number } },
  'people'
> = {
  text: ({ row }) => `${row.name} ${row.key} ${row.detail}`.toLowerCase(),
  name: ({ row }) => row.name,
  detail: ({ row }) => row.detail,
  kind: ({ row }) => row.kind,
  items: ({ count }) => count().items,
  heavy: ({ count }) => count().heavy,
  members: ({ row }) => row.members ?? 0,
  external: ({ row }) => row.external ?? 0,
  grants: ({ row }) => row.grants,
  flags: ({ row }) => row.flags,
};

/** All of a kind by name, sorted once for a survey. */
function byName(l: Loaded, show: PeopleQuery['show']): Candidate[] {
  const { sorted } = knownOf(l);
  let list = sorted.get(show);
  if (!list)
    sorted.set(
      show,
      (list = candidates(l, show).sort((a, b) => nameOrder(a.name, b.name) || nameOrder(a.key, b.key))),
    );
  return list;
}

export function people(l: Loaded, q: PeopleQuery): IdentityPage {
  const { view: v } = l;
  const hidden = l.org.hidden !== undefined;
  const shown = (show: PeopleQuery['show']): number => byName(l, show).length;
  const counts = {
    members: hidden ? shown('members') : v.memberCount,
    guests: hidden ? shown('guests') : countBoth(v.guests, v.guests),
    outsiders: hidden ? shown('outsiders') : v.outsiders.length,
    groups: hidden ? shown('groups') : l.org.groups.length,
    domains: v.domainNames.filter((d) => d && !isHiddenDomain(d)).length,
    dangling: new Set(knownOf(l).dangling.map((d) => d.name)).size,
  };
  const text = q.text?.toLowerCase();
  const test = compileFilter(q.where, 'people', FIELDS, Date.parse(l.takenAt));
  if (q.show === 'dangling') {
    const none = () => 0;
    const order = compareBy<PeopleKey, IdentityRow>(q.sort, {
      name: (a, b) => nameOrder(a.name, b.name),
      grants: (a, b) => a.grants - b.grants,
      items: none,
      heavy: none,
      members: none,
      external: none,
    });
    const rows = danglingRows(l)
      .filter(
        (r) =>
          (!text || `${r.name} ${r.key}`.toLowerCase().includes(text)) &&
          test({ row: r, count: () => ({ items: 0, heavy: 0 }) }),
      )
      .sort((a, b) => order(a, b) || nameOrder(a.name, b.name) || nameOrder(a.key, b.key));
    return { rows: rows.slice(q.offset, q.offset + q.limit), total: rows.length, counts, survey: l.survey };
  }
  const named = byName(l, q.show);
  const all =
    text || q.where
      ? named.filter(
          (c) =>
            (!text || `${c.name} ${c.key} ${c.row().detail}`.toLowerCase().includes(text)) &&
            test({ row: c.row(), count: () => countWhat(l, c.asked) }),
        )
      : named;
  // by its place among the names, or by a number that is worked out once for each
  const compare = (key: PeopleKey): ((a: number, b: number) => number) => {
    if (key === 'name' || !q.sort.some((s) => s.key === key)) return (a, b) => a - b;
    const values = Float64Array.from(all, (c) =>
      key === 'items' || key === 'heavy' ? countWhat(l, c.asked)[key] : c[key],
    );
    return (a, b) => values[a]! - values[b]!;
  };
  const order = compareBy<PeopleKey, number>(q.sort, {
    name: compare('name'),
    items: compare('items'),
    heavy: compare('heavy'),
    grants: compare('grants'),
    members: compare('members'),
    external: compare('external'),
  });
  const first = firstOf([...all.keys()], (a, b) => order(a, b) || a - b, q.offset + q.limit);
  const rows = first
    .slice(q.offset)
    .map((n): IdentityRow => ({ ...all[n]!.row(), ...countWhat(l, all[n]!.asked) }));
  return { rows, total: all.length, counts, survey: l.survey };
}

/** What an identity's key names, or undefined. */
function askedOf(l: Loaded, key: string): Asked | undefined {
  const name = key.slice(key.indexOf(':') + 1);
  if (key.startsWith('group:')) {
    const group = l.org.find('group', name);
    return group < 0 ? undefined : { group };
  }
  if (key.startsWith('domain:')) return { domain: name };
  const identity = findIdentity(l.view, name);
  if (identity >= 0) return { identity };
  return key.startsWith('user:') && l.org.find('user', name) >= 0 ? { identity: -1 } : undefined;
}

function summarise(l: Loaded, bits: Uint8Array): WhatSummary {
  const { org, columns } = l;
  const S = org.spaces.length;
  const matrix = Array.from({ length: 5 }, () => TIERS.map(() => 0));
  let items = 0;
  const spaces: WhatSummary['spaces'] = [];
  for (let s = 0; s < S; s++) {
    let n = 0;
    let heaviest = 0;
    let widest = 0;
    let can = bits[s]!;
    for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
      if (!bits[S + i] || !l.items.isFile[i]) continue;
      n++;
      const tier = Math.max(columns.nowTier[S + i]!, columns.couldTier[S + i]!);
      heaviest = Math.max(heaviest, l.weights[i]!);
      widest = Math.max(widest, tier);
      can |= bits[S + i]!;
      matrix[l.weights[i]!]![tier]!++;
    }
    if (!n && !bits[s]) continue;
    items += n;
    spaces.push({
      node: nodeRef(l, s),
      workspace: workspaceName(l, s),
      items: n,
      heaviest,
      widest: TIERS[Math.max(widest, columns.nowTier[s]!)]!,
      capabilities: capabilityNames(can),
    });
  }
  spaces.sort((a, b) => b.heaviest - a.heaviest || b.items - a.items || (a.node.name < b.node.name ? -1 : 1));
  return { items, spaces: spaces.slice(0, 60), matrix };
}

/** How somebody is taken out of a group, where its directory lets that be done. */
function leaving(l: Loaded, group: number, value: string): { leave?: PlannedChange } {
  const leave = makeable(l, { member: { group: l.org.groups[group]!.id, value } });
  return leave ? { leave } : {};
}

const GRANTS_SHOWN = 60;

export function identityDossier(l: Loaded, key: string): IdentityDossier | undefined {
  const asked = askedOf(l, key);
  const { org, view: v } = l;
  const k = knownOf(l);
  const dangling = k.dangling.filter((d) => `user:${d.name}` === key);
  if (!asked && !dangling.length) return undefined;
  const group = asked && 'group' in asked ? asked.group : -1;
  const show: PeopleQuery['show'] =
    group >= 0
      ? 'groups'
      : key.startsWith('domain:')
        ? 'domains'
        : key.startsWith('outsider:')
          ? 'outsiders'
          : 'members';
  const user = key.startsWith('user:') ? org.find('user', key.slice(5)) : -1;
  const person = org.users[user];
  const found =
    (user < 0 || person!.active) && asked
      ? candidates(l, person?.kind === 'guest' ? 'guests' : show).find((c) => c.key === key)
      : undefined;
  const row: IdentityRow | undefined = found
    ? { ...found.row(), ...countWhat(l, found.asked) }
    : (danglingRows(l).find((r) => r.key === key) ??
      (person && {
        key,
        kind: 'inactive',
        name: person.name,
        detail: 'the account is not active',
        items: 0,
        heavy: 0,
        grants: 0,
        flags: [],
      }));
  if (!row) return undefined;
  const direct = new Set(
    user >= 0 ? groupsHolding(org, user) : group >= 0 ? groupsHoldingGroup(org, group) : [],
  );
  const within =
    user >= 0 ? groupsOfUser(org, user) : group >= 0 ? groupsAbove(org, direct) : new Set<number>();
  const holds: IdentityDossier['holds'] = [];
  if (group >= 0)
    for (const m of org.members.values.subarray(org.members.start[group], org.members.start[group + 1]))
      holds.push(
        m < 0
          ? {
              key: `group:${org.groups[~m]!.id}`,
              name: org.groups[~m]!.name,
              kind: 'group',
              ...leaving(l, group, org.groups[~m]!.id),
            }
          : {
              ...leaving(l, group, org.users[m]!.id),
              key: `user:${org.users[m]!.id}`,
              name: org.users[m]!.name,
              kind: org.users[m]!.active ? org.users[m]!.kind : 'inactive',
            },
      );
  holds.sort(
    (a, b) => (a.kind === 'group' ? 0 : 1) - (b.kind === 'group' ? 0 : 1) || (a.name < b.name ? -1 : 1),
  );
  let named = user;
  if (asked && 'group' in asked) named = numberOf(l.view, PRINCIPAL.group, asked.group);
  else if (asked && 'domain' in asked)
    named = numberOf(l.view, PRINCIPAL.domain, org.domains.indexOf(asked.domain));
  else if (asked && user < 0) named = asked.identity;
  const granted = [...new Set([...entriesOf(k.named, named), ...dangling.map((d) => d.entry)])];
  const rule = group >= 0 ? l.groupRules.get(org.groups[group]!.id) : undefined;
  const home = person && l.ids.home('user', person.id);
  return {
    row,
    ...(home && person.kind === 'guest' && { account: { kind: 'person' as const, ...home } }),
    addresses: person?.addresses ?? (key.startsWith('outsider:') ? [key.slice(9)] : []),
    ...(person?.department && { department: person.department }),
    ...(person?.title && { title: person.title }),
    within: [...within]
      .map((g) => ({
        key: `group:${org.groups[g]!.id}`,
        name: org.groups[g]!.name,
        direct: direct.has(g),
        ...(direct.has(g) && leaving(l, g, user >= 0 ? org.users[user]!.id : org.groups[group]!.id)),
      }))
      .sort((a, b) => Number(b.direct) - Number(a.direct) || (a.name < b.name ? -1 : 1)),
    holds: holds.slice(0, 80),
    holdsMore: Math.max(0, holds.length - 80),
    nesting: group >= 0 ? nesting(l, group) : { nodes: [], edges: [] },
    ...(rule && { rule }),
    granted: granted.slice(0, GRANTS_SHOWN).map((e): EntryRef => entryRef(l, e)),
    grantedMore: Math.max(0, granted.length - GRANTS_SHOWN),
    what: summarise(l, asked ? whatOf(v, asked) : new Uint8Array(org.spaces.length + org.itemIds.length)),
    survey: l.survey,
  };
}

/** The groups around one: what holds it above (levels −1, −2 …), what it holds below (1, 2 …). */
function nesting(l: Loaded, group: number): IdentityDossier['nesting'] {
  const { org, view: v } = l;
  const level = new Map<number, number>([[group, 0]]);
  const edges: [number, number][] = [];
  const MOST = 24;
  const inside = (g: number): number[] =>
    [...org.members.values.subarray(org.members.start[g], org.members.start[g + 1])]
      .filter((m) => m < 0)
      .map((m) => ~m);
  for (const [g, at] of level) {
    if (at < 0) continue;
    for (const m of inside(g)) if (!level.has(m) && level.size < MOST) level.set(m, at + 1);
  }
  const up = new Map<number, number>([[group, 0]]);
  for (const [g, at] of up)
    for (const h of groupsHoldingGroup(org, g))
      if (!up.has(h) && !level.has(h) && up.size < MOST) up.set(h, at - 1);
  for (const [g, at] of up) if (!level.has(g)) level.set(g, at);
  for (const g of level.keys()) for (const m of inside(g)) if (level.has(m)) edges.push([g, m]);
  const key = (g: number): string => `group:${org.groups[g]!.id}`;
  return {
    nodes: [...level].map(([g, at]) => ({
      key: key(g),
      name: org.groups[g]!.name,
      members: countBoth(v.groupMembers[g]!, v.groupMembers[g]!),
      level: at,
    })),
    edges: edges.map(([a, b]): [string, string] => [key(a), key(b)]),
  };
}

/** The items an identity reaches, heaviest and widest first. */
export function whatRows(
  l: Loaded,
  key: string,
  q: {
    space?: string | undefined;
    weight?: number | undefined;
    tier?: string | undefined;
    limit: number;
    offset: number;
  },
):
  | {
      rows: (Pick<HoldingRow, 'key' | 'kind' | 'name' | 'path' | 'now' | 'could' | 'weight'> & {
        capabilities: Capability[];
      })[];
      total: number;
    }
  | undefined {
  const asked = askedOf(l, key);
  if (!asked) return undefined;
  const { org, columns } = l;
  const S = org.spaces.length;
  const bits = whatOf(l.view, asked);
  const widest = (n: number): number => Math.max(columns.nowTier[n]!, columns.couldTier[n]!);
  const found: number[] = [];
  for (let i = 0; i < org.itemIds.length; i++) {
    const n = S + i;
    if (!bits[n] || !l.items.isFile[i]) continue;
    if (q.weight !== undefined && l.weights[i] !== q.weight) continue;
    if (q.tier !== undefined && TIERS[widest(n)] !== q.tier) continue;
    if (q.space !== undefined && nodeKey(l, org.itemSpace[i]!) !== q.space) continue;
    found.push(n);
  }
  found.sort((a, b) => l.weights[b - S]! - l.weights[a - S]! || widest(b) - widest(a) || a - b);
  return {
    total: found.length,
    rows: found.slice(q.offset, q.offset + q.limit).map((n) => ({
      ...nodeRef(l, n),
      name: nodeName(l, n),
      path: whereWords(l, n),
      now: TIERS[columns.nowTier[n]!]!,
      could: TIERS[columns.couldTier[n]!]!,
      weight: Math.max(l.weights[n - S]!, below(l).weight[n]!),
      capabilities: capabilityNames(bits[n]!),
    })),
  };
}
