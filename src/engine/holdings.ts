/** Holdings: workspaces, spaces, folders and files, as a tree or as a list that is filtered and sorted. */
import { counting } from '../core/access/growable.ts';
import { firstOf } from '../core/first.ts';
import { AT_ONCE, sortInParts } from '../core/sort-in-parts.ts';
import { has } from '../core/access/bits.ts';
import {
  BREAKS,
  itemsBelow,
  nodeOfItem,
  parentNode,
  spaceOfNode,
  type Organisation,
} from '../core/access/organisation.ts';
import { partsOf, topSpace, type Parts } from '../core/access/parts.ts';
import { isHeld, who } from '../core/access/questions.ts';
import { reachOf } from '../core/access/reach.ts';
import { USED_DAYS, usedSince } from '../core/access/usage.ts';
import { ALLOWED } from '../core/exposure/exposure.ts';
import { CAP, capabilityNames, TIERS } from '../core/model.ts';
import { nameOrder } from '../core/name-order.ts';
import { compareBy, type Sort } from '../core/sorts.ts';
import type { HoldingPage, HoldingRow, NodeDossier, WhoRow } from '../dto/access.ts';
import {
  findNode,
  nameOfUser,
  nodeKey,
  nodeKind,
  nodeName,
  nodeRef,
  pathOf,
  personRef,
  contentsOf,
  workspaceName,
  whereWords,
} from './describe.ts';
import { spacesOf } from './dormant.ts';
import { unkey } from './keys.ts';
import { weighingOf, type Loaded } from './loaded.ts';

type HoldingsKey = 'name' | 'reach' | 'weight' | 'members' | 'external' | 'files' | 'activity' | 'bytes';
export interface HoldingsQuery {
  /** Tree: the rows below this one; the workspaces where absent. List: only what lies below it. */
  parent?: string | undefined;
  list: boolean;
  text?: string | undefined;
  kind?: string | undefined;
  weight?: number | undefined;
  /** At least this wide, now or could be. */
  tier?: string | undefined;
  domain?: string | undefined;
  owner?: string | undefined;
  /** A condition over `FIELDS.items`. */
  where?: string | undefined;
  only?: 'exposed' | 'breaks' | 'no-owner' | 'dormant' | 'links' | undefined;
  sort: readonly Sort<HoldingsKey>[];
  limit: number;
  offset: number;
}

const DAY = 86_400_000;

/** Sums over everything at or below a node, made once for a survey. */
interface Below extends Parts {
  weight: Uint8Array;
  now: Uint8Array;
  could: Uint8Array;
  files: Int32Array;
  exposed: Int32Array;
  bytes: Float64Array;
  exposedItem: Uint8Array;
  lastActivity: Float64Array;
}
const made = new WeakMap<Loaded, Below>();

export function below(l: Loaded): Below {
  let b = made.get(l);
  if (b) return b;
  const { org, columns } = l;
  const S = org.spaces.length;
  const N = S + org.itemIds.length;
  b = {
    weight: new Uint8Array(N),
    now: columns.nowTier.slice(),
    could: columns.couldTier.slice(),
    files: new Int32Array(N),
    exposed: new Int32Array(N),
    bytes: new Float64Array(N),
    exposedItem: new Uint8Array(org.itemIds.length),
    ...partsOf(org),
    lastActivity: new Float64Array(N),
  };
  for (const e of l.exposures) b.exposedItem[e.item] = 1;
  const lift = (from: number, to: number): void => {
    b.weight[to] = Math.max(b.weight[to]!, b.weight[from]!);
    b.now[to] = Math.max(b.now[to]!, b.now[from]!);
    b.could[to] = Math.max(b.could[to]!, b.could[from]!);
    b.files[to]! += b.files[from]!;
    b.exposed[to]! += b.exposed[from]!;
    b.bytes[to]! += b.bytes[from]!;
    b.lastActivity[to] = Math.max(b.lastActivity[to]!, b.lastActivity[from]!);
  };
  for (let i = org.itemIds.length - 1; i >= 0; i--) {
    b.weight[S + i] = Math.max(b.weight[S + i]!, l.weights[i]!);
    b.files[S + i]! += l.items.isFile[i]!;
    b.exposed[S + i]! += b.exposedItem[i]!;
    b.bytes[S + i]! += l.items.bytes[i]! || 0;
    b.lastActivity[S + i] = Math.max(b.lastActivity[S + i]!, l.items.modified[i]! || 0);
    lift(S + i, parentNode(org, S + i));
  }
  org.spaces.forEach((row, s) => {
    for (const at of Object.values(row.lastActivity ?? {}))
      if (at) b.lastActivity[s] = Math.max(b.lastActivity[s]!, Date.parse(at));
    if (row.bytes !== undefined) b.bytes[s] = row.bytes;
  });
  // a team is one thing: what its parts hold counts with it, and nowhere else
  for (let s = 0; s < S; s++) {
    const top = topSpace(b.partOf, s);
    if (top !== s && b.partOf[top]! < 0) lift(s, top);
  }
  made.set(l, b);
  return b;
}

const iso = (ms: number): string | undefined => (ms > 0 ? new Date(ms).toISOString() : undefined);

/** Ids of those who own a file, folder or space. */
function ownerIds({ org }: Loaded, node: number): string[] {
  if (node < org.spaces.length) return org.spaces[node]!.owners ?? [];
  const owner = org.itemOwner[node - org.spaces.length]!;
  return owner < 0 ? [] : [org.users[owner]!.id];
}
const ownersOf = (l: Loaded, node: number): string[] => ownerIds(l, node).map((o) => nameOfUser(l, o));

function childrenOf(l: Loaded, node: number): number[] {
  const { org } = l;
  const S = org.spaces.length;
  const found = node < S ? below(l).parts[node]!.slice() : [];
  const [from, to] = itemsBelow(org, node);
  for (let i = node < S ? from : from + 1; i < to; i = org.itemEnd[i]!) found.push(S + i);
  return found;
}

function rowOf(l: Loaded, node: number, withPath: boolean): HoldingRow {
  const { org, columns } = l;
  const S = org.spaces.length;
  const b = below(l);
  const last = iso(b.lastActivity[node]!);
  return {
    key: nodeKey(l, node),
    kind: nodeKind(l, node),
    name: nodeName(l, node),
    ...(node < S && { spaceKind: org.spaces[node]!.kind }),
    ...(withPath && {
      path: node < S ? workspaceName(l, node) : whereWords(l, node),
    }),
    now: TIERS[columns.nowTier[node]!]!,
    could: TIERS[columns.couldTier[node]!]!,
    weight: b.weight[node]!,
    below: { now: TIERS[b.now[node]!]!, could: TIERS[b.could[node]!]! },
    files: b.files[node]!,
    exposed: b.exposed[node]!,
    members: columns.members[node]!,
    external: columns.guests[node]! + columns.outsiders[node]!,
    owners: ownersOf(l, node),
    ...(last && { lastActivity: last }),
    bytes: b.bytes[node]!,
    children: node >= S && l.items.isFile[node - S] ? 0 : childrenCount(l, node),
    ...(node >= S && (org.itemBreaks[node - S]! & BREAKS) > 0 && { breaks: true }),
  };
}

function childrenCount(l: Loaded, node: number): number {
  const [from, to] = itemsBelow(l.org, node);
  return node < l.org.spaces.length ? to - from + below(l).parts[node]!.length : to - from - 1;
}

/** The workspaces, each with the sums of its spaces. */
function workspaceRows(l: Loaded): HoldingRow[] {
  const { org, columns } = l;
  const b = below(l);
  return org.workspaces.map((w) => {
    const spaces = org.spaces.flatMap((row, s) => (row.workspace === w.id && org.spaceListed[s] ? [s] : []));
    const tops = spaces.filter((s) => b.partOf[s]! < 0);
    const most = (of: ArrayLike<number>): number => tops.reduce((m, s) => Math.max(m, of[s]!), 0);
    const sum = (of: ArrayLike<number>): number => tops.reduce((n, s) => n + of[s]!, 0);
    const last = iso(most(b.lastActivity));
    return {
      key: `workspace:${w.id}`,
      kind: 'workspace',
      name: w.name,
      now: TIERS[most(b.now)]!,
      could: TIERS[most(b.could)]!,
      weight: most(b.weight),
      below: { now: TIERS[most(b.now)]!, could: TIERS[most(b.could)]! },
      files: sum(b.files),
      exposed: sum(b.exposed),
      members: most(columns.members),
      external: spaces.reduce((m, s) => Math.max(m, columns.guests[s]! + columns.outsiders[s]!), 0),
      owners: [],
      ...(last && { lastActivity: last }),
      bytes: sum(b.bytes),
      children: tops.length,
    };
  });
}

/** Where each node's name stands among all names; those that stand alike have one place. */
const namePlaces = new WeakMap<Organisation, Int32Array>();

/** Works out where names stand, a part at a time; until then they are compared. */
export function* placeNames(l: Loaded): Generator<void> {
  if (namePlaces.has(l.org)) return;
  const compare = (x: number, y: number): number => nameOrder(nodeName(l, x), nodeName(l, y));
  const sorted = yield* sortInParts(counting(l.org.spaces.length + l.items.length), compare);
  const places = new Int32Array(sorted.length);
  for (let k = 1; k < sorted.length; k++) {
    const [before, node] = [sorted[k - 1]!, sorted[k]!];
    places[node] = compare(before, node) ? k : places[before]!;
    if (k % AT_ONCE === 0) yield;
  }
  namePlaces.set(l.org, places);
}

/** How nodes stand by columns; ties by name, so that pages do not shift. */
function orderOf(l: Loaded, q: HoldingsQuery): (x: number, y: number) => number {
  const { columns } = l;
  const b = below(l);
  const [now, could] = q.list ? [columns.nowTier, columns.couldTier] : [b.now, b.could];
  const reach = (n: number): number => Math.max(now[n]!, could[n]!) * 10 + now[n]!;
  const external = (n: number): number => columns.guests[n]! + columns.outsiders[n]!;
  const S = l.org.spaces.length;
  const places = namePlaces.get(l.org);
  const byName = (x: number, y: number): number =>
    places ? places[x]! - places[y]! : nameOrder(nodeName(l, x), nodeName(l, y));
  // spaces, then folders, then files, where names decide
  const rank = (n: number): number => (n < S ? 0 : l.items.isFile[n - S] ? 2 : 1);
  const order = compareBy<HoldingsKey, number>(q.sort, {
    name: byName,
    reach: (x, y) => reach(x) - reach(y),
    weight: (x, y) => b.weight[x]! - b.weight[y]!,
    members: (x, y) => columns.members[x]! - columns.members[y]!,
    external: (x, y) => external(x) - external(y),
    files: (x, y) => b.files[x]! - b.files[y]!,
    activity: (x, y) => b.lastActivity[x]! - b.lastActivity[y]!,
    bytes: (x, y) => b.bytes[x]! - b.bytes[y]!,
  });
  if (q.sort[0]!.key === 'name') return (x, y) => rank(x) - rank(y) || order(x, y) || x - y;
  return (x, y) => order(x, y) || byName(x, y) || x - y;
}

const lastLists = new WeakMap<Loaded, { key: string; nodes: number[] }>();

/** The nodes a list shows; the last ones are kept, for the next page and another order. */
function fitting(
  l: Loaded,
  { sort: _s, limit: _l, offset: _o, ...held }: HoldingsQuery,
  where: (node: number) => boolean,
): number[] {
  const key = JSON.stringify([held, l.charters.version]);
  let last = lastLists.get(l);
  if (last?.key !== key) lastLists.set(l, (last = { key, nodes: work(l, held, where) }));
  return last.nodes.slice();
}

/** What lies below the parent and fits every filter. */
function work(
  l: Loaded,
  q: Omit<HoldingsQuery, 'sort' | 'limit' | 'offset'>,
  where: (node: number) => boolean,
): number[] {
  const { org, columns } = l;
  const S = org.spaces.length;
  const b = below(l);
  const text = q.text?.toLowerCase();
  const tier = q.tier ? TIERS.indexOf(q.tier as (typeof TIERS)[number]) : -1;
  const domain = q.domain ? l.view.domainNames.indexOf(q.domain) : -1;
  const whole = q.domain ? org.domains.indexOf(q.domain) : -1;
  const linked = new Set<number>();
  if (q.only === 'links')
    for (let e = 0; e < org.entries.ids.length; e++)
      if (l.view.live[e] && org.entries.type[e]! > 0) linked.add(org.entries.node[e]!);
  const spaces = spacesOf(l);
  const owner = q.owner === undefined ? undefined : org.find('user', q.owner);
  const fits = (n: number): boolean => {
    const item = n - S;
    if (item < 0 && !org.spaceListed[n]) return false;
    if (text && !nodeName(l, n).toLowerCase().includes(text)) return false;
    if (q.kind) {
      const kind = item < 0 ? org.spaces[n]!.kind : nodeKind(l, n);
      if (q.kind === 'space' ? item >= 0 : kind !== q.kind) return false;
    }
    if (q.weight !== undefined && (item < 0 ? b.weight[n]! : l.weights[item]!) < q.weight) return false;
    if (tier >= 0 && Math.max(columns.nowTier[n]!, columns.couldTier[n]!) < tier) return false;
    if (q.domain) {
      const cls = columns.classes[columns.accessClass[n]!]!;
      const reached =
        (domain >= 0 && has(cls.identityDomains, domain)) ||
        cls.wholeDomains.includes(whole) ||
        (columns.ownerAdds[n] === 1 && domain >= 0 && l.view.identityDomain[org.itemOwner[item]!] === domain);
      if (!reached) return false;
    }
    if (owner !== undefined) {
      const mine =
        item < 0 ? (org.spaces[n]!.owners ?? []).includes(q.owner!) : org.itemOwner[item] === owner;
      if (!mine) return false;
    }
    if (q.only === 'exposed' && (item < 0 || !b.exposedItem[item])) return false;
    if (q.only === 'breaks' && (item < 0 || !(org.itemBreaks[item]! & BREAKS))) return false;
    if (q.only === 'links' && !linked.has(n)) return false;
    if (q.only === 'no-owner') {
      const owners = item < 0 ? (org.spaces[n]!.owners ?? []).map((o) => org.find('user', o)) : undefined;
      if (!owners || b.partOf[n]! >= 0 || owners.some((u) => u >= 0 && has(l.view.all, u))) return false;
    }
    if (q.only === 'dormant' && (item >= 0 || !spaces.dormant(n))) return false;
    return where(n);
  };
  const found: number[] = [];
  const take = (n: number): void => void (fits(n) && found.push(n));
  const under = (node: number): void => {
    const [from, to] = itemsBelow(org, node);
    for (let i = node < S ? from : from + 1; i < to; i++) take(S + i);
    if (node < S)
      for (const p of b.parts[node]!) {
        take(p);
        under(p);
      }
  };
  if (q.parent?.startsWith('workspace:')) {
    const id = q.parent.slice('workspace:'.length);
    org.spaces.forEach((row, s) => {
      if (row.workspace !== id || b.partOf[s]! >= 0) return;
      take(s);
      under(s);
    });
  } else if (q.parent) {
    const node = findNode(l, q.parent);
    if (node >= 0) under(node);
  } else for (let n = 0; n < S + org.itemIds.length; n++) take(n);
  return found;
}

/** `where`: what the query's condition says of a node. */
export function holdings(l: Loaded, q: HoldingsQuery, where: (node: number) => boolean): HoldingPage {
  const base = { survey: l.survey, takenAt: l.takenAt };
  if (!q.list && q.parent === undefined) {
    const rows = workspaceRows(l);
    return { rows, total: rows.length, ...base };
  }
  let nodes: number[];
  if (q.list) nodes = fitting(l, q, where);
  else if (q.parent!.startsWith('workspace:')) {
    const id = q.parent!.slice('workspace:'.length);
    const b = below(l);
    nodes = l.org.spaces.flatMap((row, s) =>
      row.workspace === id && l.org.spaceListed[s] && b.partOf[s]! < 0 ? [s] : [],
    );
  } else {
    const node = findNode(l, q.parent!);
    nodes = node < 0 ? [] : childrenOf(l, node);
  }
  const total = nodes.length;
  const page = firstOf(nodes, orderOf(l, q), q.offset + q.limit).slice(q.offset);
  return { rows: page.map((n) => rowOf(l, n, q.list)), total, ...base };
}

/** Everything about one space, folder or file, but for its routes. */
export function nodeDossier(l: Loaded, name: string): NodeDossier | undefined {
  const node = findNode(l, name);
  if (node < 0) return undefined;
  const { org, columns } = l;
  const S = org.spaces.length;
  const b = below(l);
  const item = node - S;
  const row = item >= 0 ? l.items.row(item) : undefined;
  const space = spaceOfNode(org, node);
  const spaceRow = org.spaces[space]!;
  const doc = item >= 0 ? l.content(item) : undefined;
  const weighing = weighingOf(l.types, doc, row?.label ?? (item < 0 ? spaceRow.label : undefined));
  const settings: string[] = [];
  if (item < 0) {
    settings.push(
      spaceRow.visibility === 'organisation'
        ? `visible to the whole organisation (${spaceRow.visibilityRole ?? 'reader'})`
        : 'for its members only',
    );
    settings.push(
      {
        0: 'external sharing: anyone',
        1: 'external sharing: new guests',
        2: 'external sharing: existing guests only',
        3: 'external sharing: off',
      }[org.external[space]!]!,
    );
    if (spaceRow.editorsShare === false) settings.push('editors may not share');
    const gate = org.gates.values.subarray(org.gates.start[space], org.gates.start[space + 1]);
    if (gate.length)
      settings.push(
        `gate: ${[...gate].map((g) => (g < 0 ? 'a group that is not listed' : org.groups[g]!.name)).join(', ')}`,
      );
  }
  if (item >= 0 && org.itemBreaks[item]! & BREAKS) settings.push('inherits nothing from above');
  if (isHeld(l.view, node)) settings.push('in quarantine: nobody can do anything with it');
  if (row?.dim) settings.push('dimmed: search and assistants do not find it');
  const [from, to] = itemsBelow(org, node);
  const heaviest: number[] = [];
  for (let i = from; i < to; i++)
    if (l.weights[i]! > 0 && l.items.isFile[i] && S + i !== node) heaviest.push(i);
  heaviest.sort((x, y) => b.exposedItem[y]! - b.exposedItem[x]! || l.weights[y]! - l.weights[x]! || x - y);
  const last = iso(b.lastActivity[node]!);
  return {
    node: nodeRef(l, node),
    source: unkey(item < 0 ? spaceRow.id : org.itemIds.at(item)).source,
    workspace: workspaceName(l, space),
    ...(item < 0 && { spaceKind: spaceRow.kind }),
    path: pathOf(l, node).slice(0, -1),
    reach: reachOf(l.view, columns, node),
    weight: item >= 0 && row!.kind === 'file' ? l.weights[item]! : b.weight[node]!,
    allowed: ALLOWED[item >= 0 && row!.kind === 'file' ? l.weights[item]! : b.weight[node]!]!,
    weighing: weighing.reasons,
    contents: contentsOf(l, doc),
    ...(doc?.reason && { unread: doc.reason }),
    owners: ownersOf(l, node),
    ownerKeys: ownerIds(l, node).map((id) => `user:${id}`),
    ...((row?.label ?? spaceRow.label) && { label: row ? row.label : spaceRow.label }),
    ...(row?.mime && { mime: row.mime }),
    bytes: b.bytes[node]!,
    ...(row?.modifiedAt && { modifiedAt: row.modifiedAt }),
    ...(last && { lastActivity: last }),
    settings,
    parts: item < 0 ? b.parts[node]!.map((p) => nodeRef(l, p)) : [],
    files: b.files[node]!,
    exposed: b.exposed[node]!,
    heaviest: heaviest.slice(0, 8).map((i) => ({
      node: nodeRef(l, nodeOfItem(org, i)),
      weight: l.weights[i]!,
      now: TIERS[columns.nowTier[S + i]!]!,
      could: TIERS[columns.couldTier[S + i]!]!,
      finding: b.exposedItem[i] === 1,
    })),
    survey: l.survey,
    takenAt: l.takenAt,
    usedDays: USED_DAYS,
  };
}

/** The moment after which use counts as recent. */
export const usedFrom = (l: Loaded): number => Date.parse(l.takenAt) - USED_DAYS * DAY;

/** Who can do what with a node. */
export function whoRows(
  l: Loaded,
  name: string,
  q: { text?: string | undefined; kind?: string | undefined; limit: number; offset: number },
): { rows: WhoRow[]; total: number } | undefined {
  const node = findNode(l, name);
  if (node < 0) return undefined;
  const used = usedSince(l.org, l.usage, node, usedFrom(l));
  const rows: WhoRow[] = [];
  who(l.view, node).forEach((bits, i) => {
    if (!bits) return;
    const person = personRef(l, i);
    if (q.kind && person.kind !== q.kind) return;
    if (q.text && !`${person.name} ${person.address}`.toLowerCase().includes(q.text.toLowerCase())) return;
    const took = used.get(i) ?? 0;
    rows.push({
      person,
      capabilities: capabilityNames(bits),
      used: took & CAP.edit ? 'edited' : took ? 'opened' : 'not used',
    });
  });
  const order = { outsider: 0, guest: 1, member: 2 };
  rows.sort(
    (a, b) =>
      order[a.person.kind] - order[b.person.kind] ||
      b.capabilities.length - a.capabilities.length ||
      (a.person.name < b.person.name ? -1 : 1),
  );
  return { rows: rows.slice(q.offset, q.offset + q.limit), total: rows.length };
}
