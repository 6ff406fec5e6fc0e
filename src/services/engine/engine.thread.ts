/**
 * The engine: one survey's organisation in memory as columns, in a thread of its own, and every
 * question about it. It reads the store once per survey and never writes.
 */
import { workerData, type MessagePort } from 'node:worker_threads';
import {
  OrganisationBuilder,
  nodeOfItem,
  PRINCIPAL,
  type Organisation,
} from '../../core/access/organisation.ts';
import { has } from '../../core/access/bits.ts';
import { reach, reachOf, type ReachColumns } from '../../core/access/reach.ts';
import { identityKind, identityName, view, type View } from '../../core/access/view.ts';
import {
  namesIdentity,
  sources,
  spaceOf,
  whatIfWithdrawn,
  who,
  why,
  withoutEntries,
  type Source,
} from '../../core/access/questions.ts';
import { ALLOWED, weigh, type Weighing } from '../../core/exposure/exposure.ts';
import { findExposures, type ItemExposure } from '../../core/exposure/find.ts';
import {
  AUDIENCES,
  capabilityNames,
  ROLES,
  TIERS,
  type GrantRow,
  type GroupRow,
  type ItemRow,
  type LinkRow,
  type OrganisationRow,
  type PersonRow,
  type SpaceRow,
  type WorkspaceRow,
} from '../../core/model.ts';
import { DATA_TYPES } from '../../core/recognise/types/index.ts';
import type { Found } from '../../core/recognise/types.ts';
import { outsideAccess } from '../../core/remedy/withdraw.ts';
import { serve } from '../../jobs/rpc.ts';
import { dbOver, type Db } from '../../store/db.ts';
import { readObserved, type ContentDoc } from '../../store/observed.ts';
import type {
  Dossier,
  EntryRef,
  FindingSummary,
  FoundContent,
  PersonRef,
  Preview,
  PreviewPerson,
  RouteDto,
} from '../dto.ts';

const { port, dbPort } = workerData as { port: MessagePort; dbPort: MessagePort };
const db: Db = dbOver(dbPort);

/** Ids of different sources may be the same; inside the engine they carry their source. */
const key = (source: string, id: string): string => `${source}:${id}`;
const unkey = (k: string): { source: string; id: string } => {
  const at = k.indexOf(':');
  return { source: k.slice(0, at), id: k.slice(at + 1) };
};

interface Loaded {
  survey: number;
  takenAt: string;
  org: Organisation;
  view: View;
  columns: ReachColumns;
  items: ItemRow[];
  content: Map<string, ContentDoc>;
  weights: Uint8Array;
  exposures: ItemExposure[];
  entryRows: (GrantRow | LinkRow)[];
  groupNames: Map<string, string>;
}
let loaded: Loaded | undefined;

const weighingOf = (doc: ContentDoc | undefined, label: string | undefined): Weighing =>
  weigh(
    (doc?.found ?? []).flatMap((f) => {
      const type = DATA_TYPES.find((t) => t.id === f.dataType);
      return type
        ? { name: type.name, weight: type.weight, distinct: f.distinct, certainty: f.certainty }
        : [];
    }),
    label,
  );

async function load(
  survey: number,
  takenAt: string,
): Promise<{ findings: EngineFinding[]; items: number; problems: number }> {
  const organisation: OrganisationRow = { name: '', domains: [], partnerDomains: [] };
  const abouts = await readObserved<{ organisation: OrganisationRow; workspace: WorkspaceRow }>(
    db,
    'about',
    survey,
  );
  for (const { doc } of abouts) {
    organisation.name ||= doc.organisation.name;
    organisation.domains.push(...doc.organisation.domains);
    organisation.partnerDomains.push(...doc.organisation.partnerDomains);
  }
  const builder = new OrganisationBuilder(organisation, Date.parse(takenAt));
  for (const { source, doc } of abouts) builder.workspace({ ...doc.workspace, id: source });
  for (const { doc } of await readObserved<PersonRow>(db, 'person', survey)) builder.person(doc);
  const groups = await readObserved<GroupRow>(db, 'group', survey);
  for (const { doc } of groups) builder.group(doc);
  for (const { source, doc } of await readObserved<SpaceRow>(db, 'space', survey))
    builder.space({ ...doc, id: key(source, doc.id), workspace: source });
  const items = await readObserved<ItemRow>(db, 'item', survey);
  for (const { source, doc } of items)
    builder.item({
      ...doc,
      id: key(source, doc.id),
      space: key(source, doc.space),
      ...(doc.parent && { parent: key(source, doc.parent) }),
    });
  const on = (source: string, row: GrantRow | LinkRow) => ({
    on: 'space' in row.on ? { space: key(source, row.on.space) } : { item: key(source, row.on.item) },
    id: key(source, row.id),
  });
  const entryRows: (GrantRow | LinkRow)[] = [];
  for (const { source, doc } of await readObserved<GrantRow>(db, 'grant', survey)) {
    builder.grant({ ...doc, ...on(source, doc) });
    entryRows.push(doc);
  }
  for (const { source, doc } of await readObserved<LinkRow>(db, 'link', survey)) {
    builder.link({ ...doc, ...on(source, doc) });
    entryRows.push(doc);
  }
  const content = new Map(
    (await readObserved<ContentDoc>(db, 'content', survey)).map((c) => [key(c.source, c.id), c.doc]),
  );

  const org = builder.build();
  const v = view(org);
  const columns = reach(v);
  const rowOf = new Map(items.map((i) => [key(i.source, i.doc.id), i.doc]));
  const itemRows = org.itemIds.map((id) => rowOf.get(id)!);
  const weights = Uint8Array.from(
    itemRows,
    (row, i) => weighingOf(content.get(org.itemIds[i]!), row.label).weight,
  );
  const exposures = findExposures(v, columns, weights);
  loaded = {
    survey,
    takenAt,
    org,
    view: v,
    columns,
    items: itemRows,
    content,
    weights,
    exposures,
    entryRows,
    groupNames: new Map(groups.map((g) => [g.doc.id, g.doc.name])),
  };
  return {
    findings: exposures.map((e) => finding(loaded!, e)),
    items: itemRows.length,
    problems: org.problems.length,
  };
}

export interface EngineFinding {
  source: string;
  item: string;
  severity: ItemExposure['severity'];
  points: number;
  weight: number;
  now: number;
  could: number;
  summary: FindingSummary;
}

function finding(l: Loaded, e: ItemExposure): EngineFinding {
  const { source, id } = unkey(l.org.itemIds[e.item]!);
  const node = nodeOfItem(l.org, e.item);
  const row = l.items[e.item]!;
  const types = (l.content.get(l.org.itemIds[e.item]!)?.found ?? []).map((f) => ({
    name: typeName(f.dataType),
    distinct: f.distinct,
  }));
  const path = pathOf(l, node);
  return {
    source,
    item: id,
    severity: e.severity,
    points: e.points,
    weight: e.weight,
    now: e.now,
    could: e.could,
    summary: {
      name: row.name,
      space: path[0]!.name,
      path: path
        .slice(0, -1)
        .map((p) => p.name)
        .join(' › '),
      ...(row.owner && { owner: nameOfUser(l, row.owner) }),
      types,
      lines: e.lines,
      through: e.through.map((s) =>
        typeof s.entry === 'number'
          ? `${sentence(entryRef(l, s.entry))}`
          : 'the space is visible to the whole organisation',
      ),
      // granted to anyone at all, every known domain reaches it, and naming them tells nothing
      domains: l.columns.anyone[node]! & 1 ? [] : reachOf(l.view, l.columns, node).now.domains,
    },
  };
}

const typeName = (id: string): string => DATA_TYPES.find((t) => t.id === id)?.name ?? id;
const nameOfUser = (l: Loaded, id: string): string => l.org.users[l.org.find('user', id)]?.name ?? id;

function personRef(l: Loaded, identity: number): PersonRef {
  const id = identityName(l.view, identity);
  const person = l.org.users[identity];
  return {
    id,
    name: person?.name ?? id,
    address: person?.addresses[0] ?? id,
    kind: identityKind(l.view, identity),
  };
}

const nodeKind = (l: Loaded, node: number): 'space' | 'folder' | 'file' =>
  node < l.org.spaces.length ? 'space' : l.items[node - l.org.spaces.length]!.kind;
const nodeName = (l: Loaded, node: number): string =>
  node < l.org.spaces.length ? l.org.spaces[node]!.name : l.items[node - l.org.spaces.length]!.name;
const nodeId = (l: Loaded, node: number): string =>
  unkey(node < l.org.spaces.length ? l.org.spaces[node]!.id : l.org.itemIds[node - l.org.spaces.length]!).id;

/** The nodes from the space down to a node. */
function pathOf(l: Loaded, node: number): { kind: 'space' | 'folder' | 'file'; name: string }[] {
  const path = [];
  for (let at = node; ;) {
    path.unshift({ kind: nodeKind(l, at), name: nodeName(l, at) });
    if (at < l.org.spaces.length) return path;
    const parent = l.org.itemParent[at - l.org.spaces.length]!;
    at = parent < 0 ? l.org.itemSpace[at - l.org.spaces.length]! : nodeOfItem(l.org, parent);
  }
}

function principalName(l: Loaded, kind: number, number: number): string {
  if (kind === PRINCIPAL.user) return l.org.users[number]!.name;
  if (kind === PRINCIPAL.group) return `group ${l.org.groups[number]!.name}`;
  if (kind === PRINCIPAL.address) return l.org.addresses[number]!;
  if (kind === PRINCIPAL.domain) return `everybody at ${l.org.domains[number]}`;
  return kind === PRINCIPAL.everyone ? 'everyone in the organisation' : 'anyone at all';
}

function entryRef(l: Loaded, e: number): EntryRef {
  const { entries } = l.org;
  const { source, id } = unkey(entries.ids[e]!);
  const names = [];
  for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++)
    names.push(principalName(l, entries.toKind.values[i]!, entries.toNumber.values[i]!));
  const row = l.entryRows[e]!;
  const isLink = entries.type[e]! > 0;
  const by = 'createdBy' in row ? row.createdBy : (row as GrantRow).grantedBy;
  const audience = isLink ? AUDIENCES[entries.type[e]! - 1]! : undefined;
  return {
    kind: isLink ? 'link' : 'grant',
    source,
    id,
    role: ROLES[entries.role[e]!]!,
    to:
      audience === 'anyone'
        ? 'whoever holds it'
        : audience === 'organisation'
          ? 'any member who holds it'
          : names.join(', '),
    ...(audience && { audience }),
    on: {
      kind: nodeKind(l, entries.node[e]!),
      id: nodeId(l, entries.node[e]!),
      name: nodeName(l, entries.node[e]!),
    },
    ...(by && { madeBy: nameOfUser(l, by) }),
    ...(!Number.isNaN(entries.made[e]!) && { madeAt: new Date(entries.made[e]!).toISOString() }),
    ...('lastUsedAt' in row && row.lastUsedAt && { lastUsedAt: row.lastUsedAt }),
  };
}

const sentence = (e: EntryRef): string =>
  `${e.kind === 'link' ? 'sharing link' : 'grant'} to ${e.to} (${e.role}) on ${e.on.kind} “${e.on.name}”`;

/** No more than this many people are named on one route; the rest are counted. */
const NAMED = 12;

function routesOf(l: Loaded, node: number): RouteDto[] {
  const v = l.view;
  const bits = who(v, node);
  const byRoute = new Map<string, { route: Omit<RouteDto, 'who' | 'more'>; people: number[] }>();
  const describe = (source: Source) => ({
    through:
      typeof source.entry === 'number'
        ? entryRef(l, source.entry)
        : { kind: source.entry, name: nodeName(l, source.at) },
    down: source.down.map((n) => ({ kind: nodeKind(l, n), name: nodeName(l, n) })),
  });
  const members: number[] = [];
  bits.forEach((b, i) => {
    if (!b) return;
    if (has(v.members, i)) {
      members.push(i);
      return;
    }
    for (const r of why(v, i, node).routes) {
      const id = `${r.source.entry}|${r.groups.join()}`;
      const at = byRoute.get(id) ?? {
        route: {
          role: r.role,
          groups: r.groups.map((g) => l.org.groups[g]!.name),
          ...(r.as && { as: r.as }),
          ...describe(r.source),
          outside: true,
        },
        people: [],
      };
      at.people.push(i);
      byRoute.set(id, at);
    }
  });
  const rules = v.spaces[spaceOf(v, node)]!;
  const outsideRoutes = [...byRoute.values()].map(({ route, people }): RouteDto => ({
    ...route,
    who: people.slice(0, NAMED).map((i) => personRef(l, i)),
    more: Math.max(0, people.length - NAMED),
  }));
  const insideRoutes: RouteDto[] = [];
  for (const source of sources(v, node)) {
    const entry = source.entry;
    if (typeof entry === 'number') {
      const type = v.org.entries.type[entry]!;
      const anyone =
        type === 3 ||
        (type === 0 && v.org.entries.toKind.values[v.org.entries.toKind.start[entry]!] === PRINCIPAL.anyone);
      const wholeDomain =
        type === 0 && v.org.entries.toKind.values[v.org.entries.toKind.start[entry]!] === PRINCIPAL.domain;
      // what anybody could, or a whole domain can: nobody is named, so it is a route of its own
      if ((anyone && !rules.anyoneInert) || (wholeDomain && rules.wholeDomainsCount) || type === 2) {
        if (
          !outsideRoutes.some(
            (r) =>
              r.through.kind !== 'visibility' &&
              'id' in r.through &&
              key(r.through.source, r.through.id) === v.org.entries.ids[entry] &&
              type === 0,
          )
        )
          outsideRoutes.push({
            who: [],
            more: 0,
            role: ROLES[v.org.entries.role[entry]!]!,
            groups: [],
            as: type > 0 ? 'could' : anyone ? 'anyone' : 'domain',
            ...describe(source),
            outside: type !== 2,
          });
      }
    }
    const reached = members.filter((i) => why1(v, i, source, node));
    if (reached.length === 0) continue;
    insideRoutes.push({
      who: reached.slice(0, NAMED).map((i) => personRef(l, i)),
      more: Math.max(0, reached.length - NAMED),
      role:
        source.entry === 'ownership'
          ? 'owner'
          : typeof entry === 'number'
            ? ROLES[v.org.entries.role[entry]!]!
            : 'reader',
      groups: [],
      ...describe(source),
      outside: false,
    });
  }
  return [...outsideRoutes, ...insideRoutes];
}

/** Whether one source reaches one member. */
function why1(v: View, identity: number, source: Source, node: number): boolean {
  if (source.entry === 'ownership') return v.org.itemOwner[source.at - v.org.spaces.length] === identity;
  if (source.entry === 'visibility') return true;
  return v.org.entries.type[source.entry]! > 1
    ? why(v, identity, node).routes.some((r) => r.source.entry === source.entry)
    : namesIdentity(v, source.entry, identity);
}

const contentsOf = (found: readonly Found[]): FoundContent[] =>
  found.map((f) => ({ ...f, name: typeName(f.dataType) }));

function dossier(source: string, item: string): Dossier | undefined {
  const l = loaded;
  const number = l?.org.find('item', key(source, item)) ?? -1;
  if (!l || number < 0) return undefined;
  const node = nodeOfItem(l.org, number);
  const row = l.items[number]!;
  const space = l.org.spaces[l.org.itemSpace[number]!]!;
  const doc = l.content.get(l.org.itemIds[number]!);
  const weighing = weighingOf(doc, row.label);
  const outside = outsideAccess(l.view, node);
  return {
    source,
    item: {
      id: item,
      name: row.name,
      kind: row.kind,
      ...(row.mime && { mime: row.mime }),
      ...(row.bytes !== undefined && { bytes: row.bytes }),
      ...(row.label && { label: row.label }),
      ...(row.owner && { owner: nameOfUser(l, row.owner) }),
      ...(row.modifiedAt && { modifiedAt: row.modifiedAt }),
      path: pathOf(l, node).map((p) => p.name),
      space: { id: unkey(space.id).id, name: space.name, kind: space.kind },
    },
    reach: reachOf(l.view, l.columns, node),
    weight: weighing.weight,
    allowed: ALLOWED[weighing.weight]!,
    weighing: weighing.reasons,
    contents: contentsOf(doc?.found ?? []),
    scan: doc?.state ?? 'name-only',
    routes: routesOf(l, node),
    withdrawable: outside.outsideOnly.map((e) => entryRef(l, e)),
    mixed: outside.mixed.map((e) => entryRef(l, e)),
    survey: l.survey,
    takenAt: l.takenAt,
  };
}

export interface ObjectKey {
  kind: 'grant' | 'link';
  source: string;
  id: string;
}

/** The entries of these objects, as this survey has them; what it does not have is left out. */
function describeEntries(objects: ObjectKey[]): EntryRef[] {
  const l = loaded;
  if (!l) return [];
  return objects.flatMap((o) => {
    const e = l.org.find(o.kind, key(o.source, o.id));
    return e < 0 ? [] : entryRef(l, e);
  });
}

function preview(objects: ObjectKey[]): Preview | undefined {
  const l = loaded;
  if (!l) return undefined;
  const entries: number[] = [];
  const missing: Preview['missing'] = [];
  for (const o of objects) {
    const e = l.org.find(o.kind, key(o.source, o.id));
    if (e < 0) missing.push(o);
    else entries.push(e);
  }
  const difference = whatIfWithdrawn(l.view, entries);
  const spaceCount = l.org.spaces.length;
  const people = new Map<number, PreviewPerson & { bits: number }>();
  for (const group of difference.groups) {
    const items = group.nodes.filter((n) => n >= spaceCount).length;
    for (const c of group.changes) {
      let p = people.get(c.identity);
      if (!p)
        people.set(
          c.identity,
          (p = { ...personRef(l, c.identity), loses: 0, reduced: 0, capabilities: [], bits: 0 }),
        );
      if (c.after === 0) p.loses += items;
      else p.reduced += items;
      p.bits |= c.before & ~c.after;
    }
  }
  const order = { member: 0, guest: 1, outsider: 2 };
  const list = [...people.values()]
    .map(({ bits, ...p }) => ({ ...p, capabilities: capabilityNames(bits) }))
    .sort((a, b) => order[a.kind] - order[b.kind] || b.loses - a.loses || (a.name < b.name ? -1 : 1));

  const touchedItems = difference.touched.filter((n) => n >= spaceCount).map((n) => n - spaceCount);
  const later = withoutEntries(l.view, entries);
  const pointsOf = (v: View, columns: ReachColumns) =>
    new Map(findExposures(v, columns, l.weights, touchedItems).map((e) => [e.item, e.points]));
  const before = pointsOf(l.view, difference.before);
  const after = pointsOf(later, difference.after);
  const changed = touchedItems.flatMap((item) => {
    const node = nodeOfItem(l.org, item);
    const tiers = (c: ReachColumns) => ({ now: TIERS[c.nowTier[node]!]!, could: TIERS[c.couldTier[node]!]! });
    const was = { ...tiers(difference.before), points: before.get(item) ?? 0 };
    const is = { ...tiers(difference.after), points: after.get(item) ?? 0 };
    if (was.now === is.now && was.could === is.could && was.points === is.points) return [];
    const { source, id } = unkey(l.org.itemIds[item]!);
    return {
      source,
      item: id,
      name: l.items[item]!.name,
      space: nodeName(l, l.org.itemSpace[item]!),
      before: was,
      after: is,
    };
  });
  changed.sort((a, b) => b.before.points - b.after.points - (a.before.points - a.after.points));
  const total = (m: Map<number, number>) => [...m.values()].reduce((a, b) => a + b, 0);
  return {
    survey: l.survey,
    takenAt: l.takenAt,
    changes: entries.map((e) => entryRef(l, e)),
    missing,
    members: list.filter((p) => p.kind === 'member').length,
    guests: list.filter((p) => p.kind === 'guest').length,
    outsiders: list.filter((p) => p.kind === 'outsider').length,
    anybody: touchedItems.some(
      (i) =>
        difference.before.anyone[nodeOfItem(l.org, i)]! > 0 &&
        difference.after.anyone[nodeOfItem(l.org, i)] === 0,
    ),
    wholeDomains: [
      ...new Set(
        entries.flatMap((e) =>
          l.org.entries.type[e] === 0 &&
          l.org.entries.toKind.values[l.org.entries.toKind.start[e]!] === PRINCIPAL.domain
            ? l.org.domains[l.org.entries.toNumber.values[l.org.entries.toNumber.start[e]!]!]!
            : [],
        ),
      ),
    ],
    people: list,
    items: changed.slice(0, 500),
    itemsTouched: touchedItems.length,
    itemsChanged: changed.length,
    pointsBefore: total(before),
    pointsAfter: total(after),
  };
}

const functions = { load, dossier, describeEntries, preview };
export type EngineFunctions = typeof functions;
serve(port, functions);
