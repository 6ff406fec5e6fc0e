/** Findings as the engine tells them: each exposure's summary, its dossier, and previews of changes. */
import { withdrawal } from '../core/access/change.ts';
import { has } from '../core/access/bits.ts';
import { nodeOfItem, PRINCIPAL } from '../core/access/organisation.ts';
import { namesIdentity, nodesDown, spaceOf, who, why, type Source } from '../core/access/questions.ts';
import { reachOf } from '../core/access/reach.ts';
import type { View } from '../core/access/view.ts';
import { ALLOWED } from '../core/exposure/exposure.ts';
import type { ItemExposure } from '../core/exposure/find.ts';
import { ROLES } from '../core/model.ts';
import type { PlannedChange } from '../core/remedy/plan.ts';
import { outsideAccess } from '../core/remedy/withdraw.ts';
import type { Dossier, FindingSummary } from '../dto/exposure.ts';
import type { RouteDto } from '../dto/access.ts';
import {
  entryRef,
  nameOfUser,
  nodeKind,
  nodeName,
  pathOf,
  personRef,
  sentence,
  sourcesOf,
  contentsOf,
  typeName,
  typesCounting,
  whereWords,
} from './describe.ts';
import { key, unkey } from './keys.ts';
import { weighingOf, type Loaded } from './loaded.ts';
import { plannedOf } from './planned.ts';

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

export function finding(l: Loaded, e: ItemExposure): EngineFinding {
  const { source, id } = unkey(l.org.itemIds.at(e.item));
  const node = nodeOfItem(l.org, e.item);
  const owner = l.org.users[l.org.itemOwner[e.item]!]?.name;
  const types = typesCounting(l, e.item).map((t) => ({ name: typeName(l, t.id), distinct: t.distinct }));
  return {
    source,
    item: id,
    severity: e.severity,
    points: e.points,
    weight: e.weight,
    now: e.now,
    could: e.could,
    summary: {
      name: l.items.name(e.item),
      space: nodeName(l, spaceOf(l.view, node)),
      path: whereWords(l, node),
      ...(owner && { owner }),
      types,
      lines: e.lines,
      through: e.through.map((s) =>
        typeof s.entry === 'number'
          ? sentence(entryRef(l, s.entry))
          : `the space “${nodeName(l, s.at)}” is visible to the whole organisation`,
      ),
      ...newest(l, e),
      // granted to anyone at all, every known domain reaches it, and naming them tells nothing
      domains: l.columns.anyone[node]! & 1 ? [] : reachOf(l.view, l.columns, node).now.domains,
    },
  };
}

/** What came last of all that makes the reach too wide. */
function newest(l: Loaded, { through }: ItemExposure): Pick<FindingSummary, 'newest'> {
  const { made } = l.org.entries;
  const entries = through.flatMap(({ entry }) =>
    typeof entry === 'number' && !Number.isNaN(made[entry]!) ? entry : [],
  );
  if (!entries.length) return {};
  const ref = entryRef(
    l,
    entries.reduce((a, b) => (made[b]! > made[a]! ? b : a)),
  );
  return {
    newest: {
      words: sentence(ref),
      ...(ref.madeBy && { by: ref.madeBy }),
      ...(ref.madeAt && { at: ref.madeAt }),
    },
  };
}

/** No more than this many people are named on one route; the rest are counted. */
const NAMED = 12;

export function routesOf(l: Loaded, node: number): RouteDto[] {
  const v = l.view;
  const bits = who(v, node);
  const byRoute = new Map<string, { route: Omit<RouteDto, 'who' | 'more'>; people: number[] }>();
  const describe = (source: Source) => ({
    through:
      typeof source.entry === 'number'
        ? entryRef(l, source.entry)
        : { kind: source.entry, name: nodeName(l, source.at) },
    down: nodesDown(l.org, source).map((n) => ({ kind: nodeKind(l, n), name: nodeName(l, n) })),
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
  for (const source of sourcesOf(l, node)) {
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
              key(r.through.source, r.through.id) === v.org.entries.ids.at(entry) &&
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

export function dossier(l: Loaded, source: string, item: string): Dossier | undefined {
  const number = l.org.find('item', key(source, item));
  if (number < 0) return undefined;
  const node = nodeOfItem(l.org, number);
  const row = l.items.row(number);
  const space = l.org.spaces[l.org.itemSpace[number]!]!;
  const doc = l.content(number);
  const weighing = weighingOf(l.types, doc, row.label);
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
    contents: contentsOf(l, doc),
    scan: doc?.state ?? 'name-only',
    ...(doc?.reason && { unread: doc.reason }),
    routes: routesOf(l, node),
    withdrawable: outside.outsideOnly.map((e) => entryRef(l, e)),
    mixed: outside.mixed.map((e) => entryRef(l, e)),
    survey: l.survey,
    takenAt: l.takenAt,
  };
}

/** What lets nobody but outsiders in to any of some items, each once, and of how many there is something. */
export function withdrawable(
  l: Loaded,
  items: readonly { source: string; item: string }[],
): { changes: PlannedChange[]; of: number } {
  const entries = new Set<number>();
  let of = 0;
  for (const { source, item } of items) {
    const number = l.org.find('item', key(source, item));
    if (number < 0) continue;
    const { outsideOnly } = outsideAccess(l.view, nodeOfItem(l.org, number));
    if (outsideOnly.length) of++;
    for (const e of outsideOnly) entries.add(e);
  }
  return { of, changes: [...entries].flatMap((e) => plannedOf(l, withdrawal(l.org, e)) ?? []) };
}
