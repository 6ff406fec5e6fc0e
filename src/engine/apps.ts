/** Third-party apps of a survey: what each could read, its risk, and by whom it was let in. Worked out when first asked for. */
import { has } from '../core/access/bits.ts';
import { itemsBelow, spaceOfNode } from '../core/access/organisation.ts';
import { who } from '../core/access/questions.ts';
import { USED_DAYS } from '../core/access/usage.ts';
import { identityName } from '../core/access/view.ts';
import type { Approval } from '../core/apps/approval.ts';
import { appAccess, AppReads, grantedApps, READS_NOTHING } from '../core/apps/reading.ts';
import {
  appGetters,
  grantsOfApps,
  heavyIn,
  judgeApps,
  readersInSpaces,
  type GrantOfApp,
  type JudgedApp,
} from '../core/apps/judged.ts';
import { lazily } from '../core/once.ts';
import {
  appRisk,
  domainToRegister,
  isNew,
  isUnused,
  lastUseOf,
  peopleIn,
  type Lapsed,
} from '../core/apps/risk.ts';
import {
  type ScopeBook,
  SCOPE_NAMES,
  SCOPES,
  bitsIn,
  scopesIn,
  type KnownScope,
} from '../core/apps/scopes.ts';
import { HEAVY } from '../core/exposure/exposure.ts';
import { rowTest } from '../core/filter/filter.ts';
import { CAP, capabilityNames, TIERS, type AppGrantRow, type AppRow } from '../core/model.ts';
import { nameOrder } from '../core/name-order.ts';
import type { PlannedChange } from '../core/remedy/plan.ts';
import { byCode, compareBy, type Sort } from '../core/sorts.ts';
import { dayAt, isoOf, momentOf } from '../core/time.ts';
import {
  APP_SHOWS,
  type AppDossier,
  type AppFilesPage,
  type AppGrantDto,
  type AppLoss,
  type AppPage,
  type AppReaderRow,
  type AppRowDto,
  type AppShow,
  type ScopeMeaningDto,
  type APP_SORTS,
  type ScopeTable,
} from '../dto/apps.ts';
import {
  findNode,
  identityKey,
  nameOfUser,
  nodeKey,
  nodeName,
  nodeRef,
  personRef,
  typeName,
  typesCounting,
  whereWords,
  workspaceName,
} from './describe.ts';
import { key, unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';

const DAY = 86_400_000;
/** What withdrawing it would cost is told by who used it in so many days. */
const USED_LATELY = [7, 30, 90] as const;
const MOST_GRANTS = 200;
const MOST_SPACES = 30;
const MOST_TYPES = 12;
const MOST_NAMED = 12;
/** So much of what a workspace says of an app is taken. */
const MOST_SAID = 300;
/** So many changes are picked up at once at most. */
const MOST_PICKED = 2000;

/** An app with what it comes to. Ids carry their source. */
interface App extends JudgedApp {
  row: AppRowDto;
}
interface Apps {
  book: ScopeBook;
  lapsed: Lapsed;
  /** Their grants, by number; and the numbers by id. */
  letIn: () => GrantOfApp[];
  numbers: () => Map<string, number>;
  scope: (scope: string, workspace: string) => KnownScope;
  reads: AppReads;
  /** How many could read something in a space. */
  inSpace: (space: number) => number;
  list: App[];
  /** By id their places in the list. */
  places: () => Map<string, number>;
  byKey: Map<string, App>;
}
const made = new WeakMap<Loaded, Apps>();

/** The id of a workspace that a row names. */
function workspaceIn(l: Loaded): (source: string, workspace: string) => string {
  const ids = new Set(l.org.workspaces.map((w) => w.id));
  const ofSource = new Map(l.org.workspaces.map((w) => [unkey(w.id).source, w.id]));
  return (source, workspace) => {
    const id = key(source, workspace);
    return ids.has(id) ? id : (ofSource.get(source) ?? id);
  };
}

/** What is counted of what apps read. */
const filesOf = (l: Loaded) => ({ isFile: l.items.isFile, weights: l.weights });

const kindOf = (l: Loaded, workspace: string): string => l.ids.kind(unkey(workspace).source);

/** The apps of a survey. */
export function appsOf(l: Loaded): Apps {
  const known = made.get(l);
  const { book, lapsed } = l.scopes;
  if (known?.book === book && known.lapsed === lapsed) return known;
  const workspace = workspaceIn(l);
  const apps = [...(l.kept.get('app')?.values() ?? [])].map(({ source, row }): AppRow => {
    const app = row as AppRow;
    return { ...app, id: key(source, app.id), workspace: workspace(source, app.workspace) };
  });
  const grants = [...(l.kept.get('appGrant')?.values() ?? [])].map(({ source, row }): AppGrantRow => {
    const g = row as AppGrantRow;
    return {
      ...g,
      id: key(source, g.id),
      app: key(source, g.app),
      workspace: workspace(source, g.workspace),
      ...(g.user !== undefined && { user: l.ids.user(source, g.user) }),
    };
  });
  // in a part, nobody is known who is not there
  const { hidden } = l.org;
  const told = grants.filter((g) => {
    const u = g.user === undefined ? -1 : l.org.find('user', g.user);
    return !hidden || g.everyone || (u >= 0 && !hidden.user[u]);
  });
  const scope = (s: string, ws: string): KnownScope => book.of(s, kindOf(l, ws));
  const { reads, list: judged } = judgeApps(l.view, {
    apps,
    grants: told,
    items: filesOf(l),
    scope,
    lapsed,
    nameOf: (id) => unkey(id).id,
  });
  const names = new Map(l.org.workspaces.map((w) => [w.id, w.name]));
  const list = judged.map((of): App => {
    const { app, grants: own, reading, risk } = of;
    const last = lastUseOf(own);
    return {
      ...of,
      row: {
        key: app.id,
        name: app.name,
        publisher: app.publisher ?? '',
        verified: app.verified ?? false,
        category: app.category ?? '',
        workspace: names.get(app.workspace) ?? app.workspace,
        people: peopleIn(own).size,
        everyone: own.some((g) => g.everyone),
        items: reading.items,
        files: reading.files,
        byWeight: reading.byWeight,
        heavy: heavyIn(reading),
        points: risk.points,
        severity: risk.severity,
        lastUsed: last ? isoOf(last) : null,
        made: app.createdAt ?? null,
      },
    };
  });
  const shown = hidden ? list.filter((a) => a.reading.items) : list;
  const letIn = lazily(() => grantsOfApps(l.view, shown));
  const found: Apps = {
    inSpace: readersInSpaces(reads, filesOf(l)),
    letIn,
    numbers: lazily(() => new Map(letIn().map((g, n) => [g.grant.id, n]))),
    book,
    lapsed,
    scope,
    reads,
    list: shown,
    places: lazily(() => new Map(shown.map((a, n) => [a.app.id, n]))),
    byKey: new Map(shown.map((a) => [a.app.id, a])),
  };
  made.set(l, found);
  return found;
}

const shows = (l: Loaded, { app, grants, row }: App, show: AppShow): boolean => {
  switch (show) {
    case 'all':
      return true;
    case 'everyone':
      return row.everyone;
    case 'unverified':
      return !row.verified;
    case 'unused':
      return isUnused(grants, l.view.moment);
    case 'new':
      return isNew(app, l.view.moment);
  }
};

export interface AppsQuery {
  show: AppShow;
  /** A source. */
  ws?: string | undefined;
  text?: string | undefined;
  /** A condition over the fields of apps. */
  where?: string | undefined;
  sort: readonly Sort<(typeof APP_SORTS)[number]>[];
  limit: number;
  offset: number;
}

const later = (a: string | null, b: string | null): number =>
  (momentOf(a ?? '') || 0) - (momentOf(b ?? '') || 0);
const ORDER: Record<(typeof APP_SORTS)[number], (a: AppRowDto, b: AppRowDto) => number> = {
  points: (a, b) => a.points - b.points,
  name: (a, b) => nameOrder(a.name, b.name),
  heavy: (a, b) => a.heavy - b.heavy,
  items: (a, b) => a.items - b.items,
  people: (a, b) => Number(a.everyone) - Number(b.everyone) || a.people - b.people,
  lastUsed: (a, b) => later(a.lastUsed, b.lastUsed),
  made: (a, b) => later(a.made, b.made),
};

/** Apps by risk, or as asked for. */
export function apps(l: Loaded, q: AppsQuery): AppPage {
  const list = appsOf(l).list.filter((a) => !q.ws || unkey(a.app.id).source === q.ws);
  const fields = appGetters<App>(
    l.view,
    (a) => a,
    (app) => l.scopes.approvals.get(app),
  );
  const fits = rowTest(q, 'apps', fields, Date.parse(l.takenAt));
  const counts = Object.fromEntries(
    APP_SHOWS.map((show) => [show, list.filter((a) => shows(l, a, show)).length]),
  ) as AppPage['counts'];
  const rows = list
    .filter((a) => shows(l, a, q.show) && fits(a))
    .map((a) => a.row)
    .sort((a, b) => compareBy(q.sort, ORDER)(a, b) || byCode(a.key, b.key));
  return {
    rows: rows.slice(q.offset, q.offset + q.limit),
    total: rows.length,
    counts,
    survey: l.survey,
    takenAt: l.takenAt,
  };
}

/** Numbers of the people who let an app in. */
const peopleOf = (l: Loaded, { grants }: App): Set<number> =>
  new Set(
    grants.flatMap(({ user }) => {
      const u = user === undefined ? -1 : l.org.find('user', user);
      return u < 0 ? [] : u;
    }),
  );

/** Whether any of those who let an app in has opened an item, as far as activity says; anybody, where it was let in for everyone. */
function openedBy(l: Loaded, app: App): (item: number) => boolean {
  const people = peopleOf(l, app);
  const { start, identity, opened, edited } = l.usage;
  return (i) => {
    for (let d = start[i]!; d < start[i + 1]!; d++)
      if ((app.row.everyone || people.has(identity[d]!)) && (opened[d]! > 0 || edited[d]! > 0)) return true;
    return false;
  };
}

/** Everything about one app; undefined where the survey has none of the key. */
export function appDossier(l: Loaded, k: string): AppDossier | undefined {
  const { byKey, reads } = appsOf(l);
  const app = byKey.get(k);
  if (!app) return undefined;
  const { org } = l;
  const reading = reads.readBy(k);
  const opened = openedBy(l, app);
  const bySpace = new Map<number, { files: number; heavy: number }>();
  const byType = new Map<string, number>();
  let unopened = 0;
  for (let i = 0; i < reading.length; i++) {
    if (!reading[i] || !l.items.isFile[i]) continue;
    const space = org.itemSpace[i]!;
    const of = bySpace.get(space) ?? { files: 0, heavy: 0 };
    bySpace.set(space, of);
    of.files++;
    if (l.weights[i]! < HEAVY) continue;
    of.heavy++;
    if (!opened(i)) unopened++;
    for (const { id } of typesCounting(l, i)) byType.set(id, (byType.get(id) ?? 0) + 1);
  }
  const spaces = [...bySpace].sort(([a, x], [b, y]) => y.heavy - x.heavy || y.files - x.files || a - b);
  const grants = app.grants
    .map((g) => grantDto(l, g))
    .sort((a, b) => Number(b.everyone) - Number(a.everyone) || later(b.lastUsed, a.lastUsed));
  return {
    row: app.row,
    homepage: app.app.homepage ?? '',
    redirectHosts: app.app.redirectHosts ?? [],
    approval: approvalDto(l.scopes.approvals.get(k)),
    sum: app.risk.lines,
    scopes: app.scopes.map((s) => {
      const having = app.grants.filter((g) => g.scopes.includes(s.scope));
      return {
        scope: s.scope,
        words: s.words,
        known: s.known,
        everyone: having.some((g) => g.everyone),
        people: peopleIn(having).size,
        capabilities: capabilityNames(bitsIn([s])),
      };
    }),
    grants: grants.slice(0, MOST_GRANTS),
    grantsMore: Math.max(0, grants.length - MOST_GRANTS),
    all: idsOf(app.grants),
    unused: idsOf(app.grants.filter((g) => isUnused([g], l.view.moment))),
    used: USED_LATELY.map((days) => ({
      days,
      people: app.grants.filter((g) => l.view.moment - momentOf(g.lastUsedAt ?? '') < days * DAY).length,
    })),
    spaces: spaces
      .slice(0, MOST_SPACES)
      .map(([s, of]) => ({ node: nodeRef(l, s), workspace: workspaceName(l, s), ...of })),
    spacesMore: Math.max(0, spaces.length - MOST_SPACES),
    types: [...byType]
      .map(([id, files]) => ({ name: typeName(l, id), files }))
      .sort((a, b) => b.files - a.files)
      .slice(0, MOST_TYPES),
    unopened,
    survey: l.survey,
    takenAt: l.takenAt,
  };
}

const approvalDto = (a: Approval | undefined): AppDossier['approval'] =>
  a
    ? {
        approved: a.approved,
        groups: [...a.groups],
        scopes: [...a.scopes],
        // the last day itself
        until: a.until < Infinity ? dayAt(a.until - 1) : null,
      }
    : null;

const idsOf = (grants: readonly AppGrantRow[]): string[] =>
  grants.slice(0, MOST_PICKED).map((g) => unkey(g.id).id);

function grantDto(l: Loaded, g: AppGrantRow): AppGrantDto {
  const { source, id } = unkey(g.id);
  const u = g.user === undefined ? -1 : l.org.find('user', g.user);
  const by = g.grantedBy === undefined ? -1 : l.org.find('user', l.ids.user(source, g.grantedBy));
  const byName =
    by >= 0 && !l.org.hidden?.user[by] ? l.org.users[by]!.name : l.org.hidden ? null : g.grantedBy;
  return {
    id,
    source,
    everyone: g.everyone === true,
    ...(g.user !== undefined && {
      person:
        u >= 0
          ? { ...personRef(l, u), key: identityKey(l, u), active: has(l.view.all, u) }
          : {
              id: g.user,
              name: unkey(g.user).id,
              address: '',
              kind: 'member' as const,
              key: `user:${g.user}`,
              active: false,
            },
    }),
    scopes: g.scopes,
    offline: g.offline ?? false,
    grantedAt: g.grantedAt ?? null,
    grantedBy: byName ?? null,
    from: [g.device, g.address].filter(Boolean).join(', ').slice(0, MOST_SAID),
    lastUsed: g.lastUsedAt ?? null,
  };
}

/** Files that an app could read, the heaviest first. `unopened`: heavy ones that nobody who let it in has opened. */
export function appFiles(
  l: Loaded,
  q: { key: string; weight?: number | undefined; unopened: boolean; limit: number; offset: number },
): AppFilesPage {
  const { byKey, reads } = appsOf(l);
  const app = byKey.get(q.key);
  if (!app) return { rows: [], total: 0 };
  const reading = reads.readBy(q.key);
  const opened = openedBy(l, app);
  const found: number[] = [];
  for (let i = 0; i < reading.length; i++)
    if (
      reading[i] &&
      l.items.isFile[i] &&
      (q.weight === undefined || l.weights[i] === q.weight) &&
      (!q.unopened || (l.weights[i]! >= HEAVY && !opened(i)))
    )
      found.push(i);
  found.sort((a, b) => l.weights[b]! - l.weights[a]! || a - b);
  const S = l.org.spaces.length;
  return {
    total: found.length,
    rows: found.slice(q.offset, q.offset + q.limit).map((i) => ({
      key: nodeKey(l, S + i),
      name: nodeName(l, S + i),
      path: whereWords(l, S + i),
      weight: l.weights[i]!,
      now: TIERS[l.columns.nowTier[S + i]!]!,
      could: TIERS[l.columns.couldTier[S + i]!]!,
      opened: opened(i),
    })),
  };
}

const readerRow = ({ row }: App, bits: number, people: number, everyone: boolean): AppReaderRow => ({
  key: row.key,
  name: row.name,
  severity: row.severity,
  points: row.points,
  verified: row.verified,
  capabilities: capabilityNames(bits),
  people,
  everyone,
  lastUsed: row.lastUsed,
});
const byPoints = (a: AppReaderRow, b: AppReaderRow): number => b.points - a.points || byCode(a.key, b.key);

/** Apps that can do something with a file, folder or space, or read something in it; undefined where it is not there. */
export function appsAt(l: Loaded, name: string): AppReaderRow[] | undefined {
  const node = findNode(l, name);
  if (node < 0) return undefined;
  const { byKey, reads } = appsOf(l);
  const can = who(l.view, node);
  const S = l.org.spaces.length;
  const item = node - S;
  const inside = item >= 0 && l.items.isFile[item] ? undefined : filesIn(l, reads, node);
  const rows: AppReaderRow[] = [];
  for (const [id, granted] of reads.granted) {
    const app = byKey.get(id);
    if (!app) continue;
    const { bits, everyone, people } = appAccess(l.view, granted, node, can);
    const files = inside?.get(id);
    if (bits || files)
      rows.push({ ...readerRow(app, bits, people.length, everyone), ...(files && { files }) });
  }
  return rows.sort(byPoints);
}

/** How many files in a space or folder each app reads. */
function filesIn(l: Loaded, reads: AppReads, node: number): Map<string, number> {
  const S = l.org.spaces.length;
  if (node < S) return new Map([...reads.readings(filesOf(l), [node])].map(([id, r]) => [id, r.files]));
  const counted = new Map<string, number>();
  const [from, to] = itemsBelow(l.org, node);
  for (let i = from; i < to; i++)
    if (l.items.isFile[i]) for (const id of reads.readersOf(i)) counted.set(id, (counted.get(id) ?? 0) + 1);
  return counted;
}

/** Apps that somebody let in, and those that were let in for everyone; undefined where there is nobody of the key. */
export function appsOfPerson(l: Loaded, k: string): (AppReaderRow & { scopes: string[] })[] | undefined {
  const u = k.startsWith('user:') ? l.org.find('user', k.slice('user:'.length)) : -1;
  if (u < 0) return undefined;
  const id = identityName(l.view, u);
  return appsOf(l)
    .list.flatMap((a) => {
      const own = a.grants.filter((g) => g.user === id || (g.everyone && has(l.view.all, u)));
      if (!own.length) return [];
      const scopes = scopesIn(own, appsOf(l).scope);
      const last = lastUseOf(own.filter((g) => !g.everyone));
      return {
        ...readerRow(
          a,
          bitsIn(scopes),
          1,
          own.every((g) => g.everyone),
        ),
        scopes: scopes.map((s) => s.words),
        lastUsed: last ? isoOf(last) : null,
      };
    })
    .sort(byPoints);
}

/** An app as it would be once somebody lets it in, to be judged before that. */
export function consentOf(
  l: Loaded,
  source: string,
  asked: { id: string; properties: Record<string, unknown>; scopes: readonly string[]; user: number },
): GrantOfApp {
  const { byKey, scope, reads } = appsOf(l);
  const id = key(source, asked.id);
  const known = byKey.get(id);
  const workspace = known?.app.workspace ?? workspaceIn(l)(source, source);
  const said = (name: string): string | undefined => {
    const value = asked.properties[name];
    return typeof value === 'string' ? value.slice(0, MOST_SAID) : undefined;
  };
  const app: AppRow = known?.app ?? {
    id,
    workspace,
    name: said('name') ?? asked.id,
    ...(said('publisher') && { publisher: said('publisher')! }),
    verified: asked.properties.verified === true,
  };
  const grant: AppGrantRow = {
    id: '',
    app: id,
    workspace,
    ...(asked.user >= 0 && { user: l.org.users[asked.user]!.id }),
    scopes: [...asked.scopes],
    grantedAt: l.takenAt,
    lastUsedAt: l.takenAt,
  };
  const grants = [...(known?.grants ?? []), grant];
  const scopes = scopesIn(grants, scope);
  const opens = scopesIn([grant], scope).some((s) =>
    s.allows.some((a) => a.whose !== 'picked' && (a.bits & CAP.open) > 0),
  );
  const reading =
    opens && asked.user >= 0
      ? reads.readingWith(id, workspace, asked.user, filesOf(l))
      : (known?.reading ?? READS_NOTHING);
  const risk = appRisk({
    ...{ app, grants, scopes, reading, own: l.org.own, moment: l.view.moment, lapsed: l.scopes.lapsed },
    known: appsOf(l).list.map((a) => a.app),
  });
  return { of: { app, grants, scopes, reading, risk }, grant, user: asked.user };
}

/** An app that somebody asks for, as far as it is known, and what they want to let it in for, in words. */
export function appAsked(
  l: Loaded,
  k: string,
  scopes: readonly string[],
): Pick<KnownApp, 'similar' | 'scopes'> & { row?: AppRowDto } {
  const { byKey, scope } = appsOf(l);
  const { source } = unkey(k);
  const workspace = byKey.get(k)?.app.workspace ?? workspaceIn(l)(source, source);
  return {
    similar: [],
    ...appsKnown(l, [k])[k],
    scopes: scopes.map((s) => scope(s, workspace).words),
  };
}

/** Domains to which apps answer, each with the keys and names of those apps. */
export function appDomains(l: Loaded): { domain: string; apps: { key: string; name: string }[] }[] {
  const found = new Map<string, { key: string; name: string }[]>();
  for (const { source, row } of l.kept.get('app')?.values() ?? []) {
    const app = row as AppRow;
    for (const domain of new Set(app.redirectHosts?.map(domainToRegister))) {
      if (!domain) continue;
      const apps = found.get(domain) ?? [];
      found.set(domain, apps);
      apps.push({ key: key(source, app.id), name: app.name });
    }
  }
  return [...found].map(([domain, apps]) => ({ domain, apps })).sort((a, b) => byCode(a.domain, b.domain));
}

interface KnownApp {
  row: AppRowDto;
  scopes: string[];
  similar: { key: string; name: string }[];
}

/** Some apps as they are: what each was let in for, and approved apps of the same kind. */
export function appsKnown(l: Loaded, keys: readonly string[]): Record<string, KnownApp> {
  const { list, byKey } = appsOf(l);
  return Object.fromEntries(
    keys.flatMap((k) => {
      const app = byKey.get(k);
      if (!app) return [];
      const { category } = app.row;
      const similar = list.flatMap(({ row }) =>
        category && row.key !== k && row.category === category && l.scopes.approvals.get(row.key)?.approved
          ? { key: row.key, name: row.name }
          : [],
      );
      return [[k, { row: app.row, scopes: app.scopes.map((s) => s.scope), similar }]];
    }),
  );
}

/** How an app reads a node: for some people, for everybody who has an account, or all there is; undefined where it does not. */
export function readsFor(
  l: Loaded,
  k: string,
  node: number,
): { app: AppRowDto; people: ReadonlySet<number>; everyone: boolean; all: boolean } | undefined {
  const { byKey, reads } = appsOf(l);
  const app = byKey.get(k);
  const granted = reads.granted.get(k);
  if (!app || !granted) return undefined;
  const { bits, people, everyone } = appAccess(l.view, granted, node);
  if (!(bits & CAP.open)) return undefined;
  const { all } = granted.get(l.org.spaces[spaceOfNode(l.org, node)]!.workspace)!;
  return { app: app.row, people: new Set(people), everyone, all: (all & CAP.open) > 0 };
}

/** The grant of an app that a change takes away, and the app; undefined where this survey does not have it. */
function appGrantOf(
  l: Loaded,
  { kind, source, id }: PlannedChange,
): { app: App; grant: AppGrantRow } | undefined {
  const { byKey, letIn, numbers } = appsOf(l);
  const n = kind === 'appGrant' ? numbers().get(key(source, id)) : undefined;
  if (n === undefined) return undefined;
  const { of, grant } = letIn()[n]!;
  return { app: byKey.get(of.app.id)!, grant };
}

/** What withdrawing a grant of an app is, in words; undefined where this survey does not have it. */
export function appChangeWords(l: Loaded, change: PlannedChange): string | undefined {
  const found = appGrantOf(l, change);
  if (!found) return undefined;
  const { app, grant } = found;
  const whom = grant.everyone
    ? 'everyone'
    : grant.user === undefined
      ? 'somebody who is not known'
      : nameOfUser(l, grant.user);
  return `Withdraw the app “${app.row.name}” from ${whom}`;
}

/** What apps lose by changes: by whom each is lost, who of them used it lately, and what it could read then. */
export function appsLosing(l: Loaded, changes: readonly PlannedChange[]): AppLoss[] {
  const gone = new Map<App, Set<string>>();
  for (const c of changes) {
    const found = appGrantOf(l, c);
    if (!found) continue;
    const of = gone.get(found.app) ?? new Set<string>();
    gone.set(found.app, of.add(found.grant.id));
  }
  if (!gone.size) return [];
  const { scope } = appsOf(l);
  const left = [...gone].flatMap(([{ grants }, ids]) => grants.filter((g) => !ids.has(g.id)));
  const readings = new AppReads(l.view, grantedApps(l.view, left, scope)).readings(filesOf(l));
  return [...gone].map(([app, ids]) => {
    const withdrawn = app.grants.filter((g) => ids.has(g.id));
    const after = readings.get(app.app.id) ?? READS_NOTHING;
    const people = peopleIn(withdrawn);
    return {
      key: app.row.key,
      name: app.row.name,
      everyone: withdrawn.some((g) => g.everyone),
      people: people.size,
      who: [...people].slice(0, MOST_NAMED).map((u) => nameOfUser(l, u)),
      usedLately: withdrawn.filter((g) => l.view.moment - momentOf(g.lastUsedAt ?? '') < USED_DAYS * DAY)
        .length,
      left: app.grants.length - withdrawn.length,
      files: [app.reading.files, after.files],
      heavy: [heavyIn(app.reading), heavyIn(after)],
    };
  });
}

/** Somebody has let in an app again since its grant was withdrawn: in words. Null where nobody has. */
export function letInAgain(
  l: Loaded,
  { source, before, since }: { source: string; before: object; since: number },
): { by: string | null; words: string } | null {
  const was = before as AppGrantRow;
  const app = appsOf(l).byKey.get(key(source, was.app));
  const user = was.user === undefined ? undefined : l.ids.user(source, was.user);
  const again = app?.grants.some(
    (g) => (was.everyone ? g.everyone : g.user === user) && momentOf(g.grantedAt ?? '') > since,
  );
  return again
    ? { by: user === undefined ? null : nameOfUser(l, user), words: `let “${app!.row.name}” in again` }
    : null;
}

/**
 * Whoever an app was withdrawn from, as long as their account is active, and where they can let it in again: the home page of an app
 * whose publisher is verified. Undefined where nobody is known, or it was let in for everyone.
 */
export function lostBy(
  l: Loaded,
  { source, before }: { source: string; before: object },
): { app: string; homepage: string | null; person: { name: string; address: string } } | undefined {
  const was = before as AppGrantRow;
  const u = was.user === undefined ? -1 : l.org.find('user', l.ids.user(source, was.user));
  const [address] = l.org.users[u]?.addresses ?? [];
  const app = appsOf(l).byKey.get(key(source, was.app))?.app;
  if (!address || was.everyone || !app || !has(l.view.all, u)) return undefined;
  const page = app.verified && URL.canParse(app.homepage ?? '') ? new URL(app.homepage!) : undefined;
  return {
    app: app.name,
    homepage: page?.protocol === 'https:' && page.href.length <= MOST_SAID ? page.href : null,
    person: { name: l.org.users[u]!.name, address },
  };
}

/** Scopes as a table, with how many apps have each. `said`: what stewards have said of others. */
export function scopeTable(l: Loaded, said: readonly ScopeMeaningDto[]): ScopeTable {
  const used = new Map<string, number>();
  const at = (kind: string, scope: string): string => JSON.stringify([kind, scope]);
  const unknown = new Map<string, ScopeTable['unknown'][number]>();
  for (const { app, scopes } of appsOf(l).list) {
    const kind = kindOf(l, app.workspace);
    for (const { scope, known } of scopes) {
      for (const k of ['', kind]) used.set(at(k, scope), (used.get(at(k, scope)) ?? 0) + 1);
      if (known) continue;
      const of = unknown.get(at(kind, scope)) ?? { scope, kind, apps: 0 };
      unknown.set(at(kind, scope), of);
      of.apps++;
    }
  }
  return {
    ours: SCOPE_NAMES.map((scope) => {
      const { words, whose, of, bits } = SCOPES[scope];
      return {
        scope,
        words,
        whose,
        of,
        capabilities: capabilityNames(bits),
        apps: used.get(at('', scope)) ?? 0,
      };
    }),
    others: said.map((m) => ({ ...m, apps: used.get(at(m.kind, m.scope)) ?? 0 })),
    unknown: [...unknown.values()].sort((a, b) => b.apps - a.apps || byCode(a.scope, b.scope)),
  };
}
