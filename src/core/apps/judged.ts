/** Apps with what each could read and its risk, and their grants one by one, as tables and rules ask about them. Pure. */
import { has } from '../access/bits.ts';
import { groupsOfUser } from '../access/groups.ts';
import type { View } from '../access/view.ts';
import { HEAVY, SEVERITIES, type ExposureSum } from '../exposure/exposure.ts';
import type { Getters } from '../filter/filter.ts';
import { gathered } from '../gathered.ts';
import type { AppGrantRow, AppRow } from '../model.ts';
import { once } from '../once.ts';
import { momentOf } from '../time.ts';
import { standingOf, standingOfApp, type Approval, type Standing } from './approval.ts';
import { AppReads, grantedApps, READS_NOTHING, type Reading } from './reading.ts';
import { appRisk, lastUseOf, peopleIn, type Lapsed } from './risk.ts';
import { scopesIn, SHIPPED_SCOPES, type KnownScope } from './scopes.ts';

const DAY = 86_400_000;

export interface JudgedApp {
  app: AppRow;
  grants: AppGrantRow[];
  scopes: KnownScope[];
  reading: Reading;
  risk: ExposureSum;
}

/** Heavy files of a reading. */
export const heavyIn = ({ byWeight }: Reading): number =>
  byWeight.slice(HEAVY).reduce((sum, n) => sum + n, 0);

/** Judges apps by their grants. One that is granted something and not listed is one of which nothing else is known. */
export function judgeApps(
  v: View,
  given: {
    apps: readonly AppRow[];
    grants: readonly AppGrantRow[];
    items: { isFile: Uint8Array; weights: Uint8Array };
    scope?: (scope: string, workspace: string) => KnownScope;
    lapsed?: Lapsed;
    /** What one that is not listed is called, by its id. */
    nameOf?: (id: string) => string;
  },
): { reads: AppReads; list: JudgedApp[] } {
  const {
    grants,
    items,
    scope = (s) => SHIPPED_SCOPES.of(s),
    nameOf = (id) => id,
    lapsed = new Map(),
  } = given;
  const grantsOf = gathered(grants, (g) => g.app);
  const listed = new Set(given.apps.map((a) => a.id));
  const apps = [
    ...given.apps,
    ...[...grantsOf].flatMap(([id, [first]]) =>
      listed.has(id) ? [] : { id, workspace: first!.workspace, name: nameOf(id) },
    ),
  ];
  const reads = new AppReads(v, grantedApps(v, grants, scope));
  const readings = reads.readings(items);
  const { moment, org } = v;
  const list = apps.map((app): JudgedApp => {
    const own = grantsOf.get(app.id) ?? [];
    const reading = readings.get(app.id) ?? READS_NOTHING;
    const scopes = scopesIn(own, scope);
    return {
      app,
      grants: own,
      scopes,
      reading,
      risk: appRisk({ app, grants: own, scopes, reading, known: apps, own: org.own, moment, lapsed }),
    };
  });
  return { reads, list };
}

/** By number of a space how many apps could read something in it. */
export const readersInSpaces = (
  reads: AppReads,
  items: { isFile: Uint8Array; weights: Uint8Array },
): ((space: number) => number) =>
  once((s) => [...reads.readings(items, [s]).values()].filter((r) => r.items).length);

/** One grant of an app, and whose it is: the number of a user, −1 where it is everybody’s or of nobody who is known. */
export interface GrantOfApp {
  of: JudgedApp;
  grant: AppGrantRow;
  user: number;
}
/** The grants of apps, in their order: their numbers are their places. */
export const grantsOfApps = (v: View, list: readonly JudgedApp[]): GrantOfApp[] =>
  list.flatMap((of) =>
    of.grants.map((grant) => ({
      of,
      grant,
      user: grant.user === undefined ? -1 : v.org.find('user', grant.user),
    })),
  );

/** What is asked of apps; `of`: the app that something is about. */
export function appGetters<T>(
  v: View,
  of: (t: T) => JudgedApp,
  approval: (app: string) => Approval | undefined,
): Getters<T, 'apps'> {
  const standing = (t: T): Standing => {
    const { app, scopes } = of(t);
    return standingOfApp(
      approval(app.id),
      scopes.map((s) => s.scope),
      v.moment,
    );
  };
  return {
    text: (t) => {
      const { app } = of(t);
      return `${app.name} ${app.publisher ?? ''} ${app.category ?? ''} ${app.id}`.toLowerCase();
    },
    name: (t) => of(t).app.name,
    publisher: (t) => of(t).app.publisher ?? '',
    verified: (t) => of(t).app.verified ?? false,
    category: (t) => of(t).app.category ?? '',
    workspace: (t) => workspaceOf(v, of(t).app.workspace),
    people: (t) => peopleIn(of(t).grants).size,
    everyone: (t) => of(t).grants.some((g) => g.everyone),
    scopes: (t) => of(t).scopes.map((s) => s.scope),
    unknownScopes: (t) => of(t).scopes.filter((s) => !s.known).length,
    approved: (t) => standing(t) === 'approved',
    refused: (t) => standing(t) === 'refused',
    more: (t) => standing(t) === 'more',
    items: (t) => of(t).reading.items,
    heavy: (t) => heavyIn(of(t).reading),
    points: (t) => of(t).risk.points,
    severity: (t) => SEVERITIES.indexOf(of(t).risk.severity),
    lastUsed: (t) => lastUseOf(of(t).grants) || NaN,
    idleDays: (t) => idleDays(v, of(t).grants),
    made: (t) => momentOf(of(t).app.createdAt ?? ''),
  };
}

const workspaceOf = ({ org }: View, id: string): string =>
  org.workspaces.find((w) => w.id === id)?.name ?? id;

/** Days since any of some grants was used; −1 where none is known to have been. */
function idleDays(v: View, grants: readonly AppGrantRow[]): number {
  const last = lastUseOf(grants);
  return last ? Math.max(0, Math.floor((v.moment - last) / DAY)) : -1;
}

/** What rules ask of grants of apps, read from a list; `at`: one of them by number. */
export function appGrantGetters(
  v: View,
  at: (n: number) => GrantOfApp,
  approval: (app: string) => Approval | undefined,
): Getters<number, 'app-grants'> {
  const { org } = v;
  const groupsOf = (u: number): Set<string> =>
    new Set(u < 0 ? [] : [...groupsOfUser(org, u)].flatMap((g) => [org.groups[g]!.id, org.groups[g]!.name]));
  const standing = (n: number): Standing => {
    const { of, grant, user: u } = at(n);
    return standingOf(approval(of.app.id), { scopes: grant.scopes, groupsOf: () => groupsOf(u) }, v.moment);
  };
  const user = (n: number) => org.users[at(n).user];
  return {
    text: (n) => `${at(n).of.app.name} ${at(n).of.app.publisher ?? ''} ${user(n)?.name ?? ''}`.toLowerCase(),
    app: (n) => at(n).of.app.name,
    publisher: (n) => at(n).of.app.publisher ?? '',
    verified: (n) => at(n).of.app.verified ?? false,
    category: (n) => at(n).of.app.category ?? '',
    workspace: (n) => workspaceOf(v, at(n).grant.workspace),
    person: (n) => user(n)?.name ?? '',
    department: (n) => user(n)?.department ?? '',
    groups: (n) =>
      at(n).user < 0 ? [] : [...groupsOfUser(org, at(n).user)].map((g) => org.groups[g]!.name).sort(),
    guest: (n) => user(n)?.kind === 'guest',
    active: (n) => at(n).grant.everyone === true || (at(n).user >= 0 && has(v.all, at(n).user)),
    everyone: (n) => at(n).grant.everyone === true,
    scopes: (n) => at(n).grant.scopes,
    unknownScopes: (n) =>
      at(n).of.scopes.filter((s) => !s.known && at(n).grant.scopes.includes(s.scope)).length,
    approved: (n) => standing(n) === 'approved',
    refused: (n) => standing(n) === 'refused',
    more: (n) => standing(n) === 'more',
    offline: (n) => at(n).grant.offline ?? false,
    granted: (n) => momentOf(at(n).grant.grantedAt ?? ''),
    lastUsed: (n) => momentOf(at(n).grant.lastUsedAt ?? ''),
    idleDays: (n) => idleDays(v, [at(n).grant]),
    people: (n) => peopleIn(at(n).of.grants).size,
    items: (n) => at(n).of.reading.items,
    heavy: (n) => heavyIn(at(n).of.reading),
    points: (n) => at(n).of.risk.points,
    severity: (n) => SEVERITIES.indexOf(at(n).of.risk.severity),
  };
}
