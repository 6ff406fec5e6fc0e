/** What policies hit: who and what is in scope, and of what conditions hold. Pure; by number, so that it runs over columns. */
import { hmac } from '@noble/hashes/hmac.js';
import { sha256 } from '@noble/hashes/sha2.js';
import { utf8ToBytes } from '@noble/hashes/utils.js';
import type { Organisation } from '../access/organisation.ts';
import { spaceOfNode } from '../access/organisation.ts';
import { groupsAbove, groupsOfUser } from '../access/groups.ts';
import { isHidden, identityName, type View } from '../access/view.ts';
import { compileFilter, USUAL_STEPS, type Budget, type Getters } from '../filter/filter.ts';
import { once } from '../once.ts';
import type { Policy, Rule, Scope, ScopeKey } from './schema.ts';
import { SUBJECTS, type Subject } from './kinds.ts';
import type { SubjectGetters } from './subjects.ts';

/** What is asked about an organisation that scopes are judged by. */
export interface ScopeFacts {
  view: View;
  /** Label of a file or folder. */
  label(item: number): string | undefined;
  /** What a source calls something, where that is not its id in the organisation. */
  sourceId?(kind: 'space' | 'workspace' | 'group', id: string): string | undefined;
  /** Ids of the purpose and the sensitivity that the charter of a space names. */
  charter?(space: number): readonly string[];
  /** Apps: the workspace of each, and those who let it in; none where absent. */
  appList?(): readonly { app: { id: string; workspace: string }; grants: readonly { user?: string }[] }[];
  /** Grants of apps: their id, whose each is and in which workspace; none where absent. */
  letIn?(): readonly { grant: { id: string; workspace: string }; user: number }[];
  /** Whoever acts, at the moment: the number of a user, −1 for somebody without an account. */
  actor?(): number;
}

/** Every subject of a kind, in the order of their numbers; or, of those that lie in spaces, what lies in some. */
export function* subjectsOf(
  { view: v, appList, letIn }: Pick<ScopeFacts, 'view' | 'appList' | 'letIn'>,
  subject: Subject,
  spaces?: readonly number[],
): Generator<number> {
  const { org } = v;
  const S = org.spaces.length;
  const { first, node, type } = org.entries;
  switch (subject) {
    case 'item':
      for (const [from, to] of spaces?.map((s) => [org.spaceFirst[s]!, org.spaceFirst[s + 1]!] as const) ?? [
        [0, org.itemIds.length] as const,
      ])
        for (let i = from; i < to; i++) yield S + i;
      return;
    case 'space':
      for (const s of spaces ?? org.spaces.keys()) if (org.spaceListed[s]) yield s;
      return;
    case 'app':
      yield* (appList?.() ?? []).keys();
      return;
    case 'appGrant':
      yield* (letIn?.() ?? []).keys();
      return;
    case 'group':
      for (let g = 0; g < org.groups.length; g++) yield g;
      return;
    case 'identity':
      for (let i = 0; i < v.identityCount; i++)
        if (!isHidden(v, i) && (i >= org.users.length || org.userListed[i])) yield i;
      return;
    default:
      // on a space itself, and then on what is in it
      for (const [from, to] of spaces?.flatMap((s) => [
        [first[s]!, first[s + 1]!] as const,
        [first[S + org.spaceFirst[s]!]!, first[S + org.spaceFirst[s + 1]!]!] as const,
      ]) ?? [[0, org.entries.ids.length] as const])
        for (let e = from; e < to; e++)
          if (v.live[e] && node[e]! >= 0 && type[e]! > 0 === (subject === 'link')) yield e;
  }
}

/** What a subject is called in the organisation. */
export function subjectId(
  { view: v, appList, letIn }: Pick<ScopeFacts, 'view' | 'appList' | 'letIn'>,
  subject: Subject,
  n: number,
): string {
  const { org } = v;
  switch (subject) {
    case 'item':
      return org.itemIds.at(n - org.spaces.length);
    case 'space':
      return org.spaces[n]!.id;
    case 'group':
      return org.groups[n]!.id;
    case 'identity':
      return identityName(v, n);
    case 'app':
      return appList!()[n]!.app.id;
    case 'appGrant':
      return letIn!()[n]!.grant.id;
    default:
      return org.entries.ids.at(n);
  }
}

/** Subjects that lie in no space. */
export const liesNowhere = (subject: Subject): subject is 'identity' | 'group' | 'app' | 'appGrant' =>
  ['identity', 'group', 'app', 'appGrant'].includes(subject);

/**
 * Whether a subject is in a policy's scope. A thing is in it if for every key of `include` one of its values
 * is named, and none of `exclude` is; departments, groups and people are those of whom `of` names.
 */
export function scopeTest(scope: Scope | undefined, subject: Subject, f: ScopeFacts): (n: number) => boolean {
  if (!scope) return () => true;
  const { org } = f.view;
  const S = org.spaces.length;
  const spaceOf = (n: number): number =>
    liesNowhere(subject)
      ? -1
      : subject === 'item' || subject === 'space'
        ? spaceOfNode(org, n)
        : spaceOfNode(org, org.entries.node[n]!);
  const itemOf = (n: number): number => {
    const node =
      subject === 'item' ? n : subject === 'grant' || subject === 'link' ? org.entries.node[n]! : -1;
    return node >= S ? node - S : -1;
  };
  // an owner of whom nothing is known but the id has a number below 0
  const strangers: string[] = [];
  const numberOf = (id: string): number => {
    const u = org.find('user', id);
    return u >= 0 ? u : ~(strangers.includes(id) ? strangers.indexOf(id) : strangers.push(id) - 1);
  };
  const idOf = (u: number): string => (u < 0 ? strangers[~u]! : org.users[u]!.id);
  const owners = org.spaces.map((s) => (s.owners ?? []).map(numberOf));
  /** Whether somebody of whom departments, groups and people are asked fits. */
  const anybody = (n: number, fits: (user: number) => boolean): boolean => {
    if (scope.of === 'actor') return f.actor !== undefined && f.actor() >= 0 && fits(f.actor());
    if (subject === 'identity') return n < org.users.length && fits(n);
    if (subject === 'group') return false;
    if (subject === 'appGrant') {
      const { user: who } = f.letIn!()[n]!;
      return who >= 0 && fits(who);
    }
    // an app is of whoever let it in
    if (subject === 'app')
      return f.appList!()[n]!.grants.some((g) => {
        const who = g.user === undefined ? -1 : org.find('user', g.user);
        return who >= 0 && fits(who);
      });
    const item = itemOf(n);
    const owner = scope.of === 'space' || item < 0 ? -1 : org.itemOwner[item]!;
    return owner >= 0 ? fits(owner) : owners[spaceOf(n)]!.some(fits);
  };
  const named = (kind: 'space' | 'workspace' | 'group', id: string, name: string): string[] => [
    id,
    name,
    f.sourceId?.(kind, id) ?? id,
  ];
  const groupNames = (groups: Iterable<number>): string[] =>
    [...groups].flatMap((g) => named('group', org.groups[g]!.id, org.groups[g]!.name));
  const ofUser: Partial<Record<ScopeKey, (u: number) => readonly string[]>> = {
    units: (u) => [org.users[u]?.department ?? ''],
    groups: (u) => (u < 0 ? [] : groupNames(groupsOfUser(org, u))),
    people: (u) => [idOf(u), ...(org.users[u]?.addresses ?? [])],
  };
  const workspace = (id: string): string[] =>
    named('workspace', id, org.workspaces.find((w) => w.id === id)?.name ?? id);
  const ofSpace: Partial<Record<ScopeKey, (s: number) => readonly string[]>> = {
    workspaces: (s) => workspace(org.spaces[s]!.workspace),
    spaces: (s) => named('space', org.spaces[s]!.id, org.spaces[s]!.name),
    spaceKinds: (s) => [org.spaces[s]!.kind],
    labels: (s) => [org.spaces[s]!.label ?? ''],
    charters: (s) => f.charter?.(s) ?? [],
    regions: (s) => [org.spaces[s]!.region ?? ''],
  };
  /** Whether one of the values of a key is among some names. */
  function fits(key: ScopeKey, of: ReadonlySet<string>): (n: number) => boolean {
    const among = (values: readonly string[]): boolean => values.some((x) => x !== '' && of.has(x));
    const [user, space] = [ofUser[key], ofSpace[key]];
    if (key === 'groups' && subject === 'group') return (n) => among(groupNames(groupsAbove(org, [n])));
    // outsiders have no account
    if (key === 'people' && subject === 'identity')
      return (n) => among([identityName(f.view, n), ...(org.users[n]?.addresses ?? [])]);
    if (key === 'workspaces' && subject === 'app')
      return (n) => among(workspace(f.appList!()[n]!.app.workspace));
    if (key === 'workspaces' && subject === 'appGrant')
      return (n) => among(workspace(f.letIn!()[n]!.grant.workspace));
    if (user) {
      const known = once((u: number) => among(user(u)));
      return (n) => anybody(n, known);
    }
    if (!space) return () => false;
    const known = once((s: number) => among(space(s)));
    return (n) => {
      const s = spaceOf(n);
      if (s < 0) return false;
      const item = key === 'labels' ? itemOf(n) : -1;
      return known(s) || (item >= 0 && of.has(f.label(item) ?? ''));
    };
  }
  const parts = (of: Scope['include']): ((n: number) => boolean)[] =>
    Object.entries(of ?? {}).flatMap(([key, names]) =>
      names?.length ? fits(key as ScopeKey, new Set<string>(names)) : [],
    );
  const [include, exclude] = [parts(scope.include), parts(scope.exclude)];
  const pilot = scope.pilot && once(pilotTest(scope.pilot, groupNames, org, idOf));
  return (n) => include.every((is) => is(n)) && !exclude.some((is) => is(n)) && (!pilot || anybody(n, pilot));
}

/** Whether a user is in a pilot: of its groups, or in a share that stays the same people as it grows. */
function pilotTest(
  pilot: NonNullable<Scope['pilot']>,
  groupNames: (groups: Iterable<number>) => string[],
  org: Organisation,
  idOf: (user: number) => string,
): (user: number) => boolean {
  if ('share' in pilot) return (u) => shareOf(pilot.salt, idOf(u)) < pilot.share;
  const groups = new Set(pilot.groups);
  return (u) => u >= 0 && groupNames(groupsOfUser(org, u)).some((name) => groups.has(name));
}

/** Bytes of which a number in [0, 1) is made: as many as a double holds exactly. */
const BYTES = 6;
/** Where a person stands in [0, 1), by HMAC-SHA-256 (RFC 2104) of their id. */
export const shareOf = (salt: string, id: string): number =>
  hmac(sha256, utf8ToBytes(salt), utf8ToBytes(id))
    .subarray(0, BYTES)
    .reduce((sum, byte, n) => sum + byte / 256 ** (n + 1), 0);

/** Steps that the conditions of a rule may take on the average for each subject. */
const STEPS = 500;
/** Steps that they may take over so many subjects. */
export const budgetFor = (subjects: number): number => Math.max(USUAL_STEPS, STEPS * subjects);

/** What one rule of a policy is compiled to; rules that are paused hit nothing. `taken`: the moment that the word stands for. */
export function ruleTest(
  policy: Pick<Policy, 'scope' | 'filter'>,
  rule: Rule,
  f: ScopeFacts,
  getters: SubjectGetters,
  budget: number | Budget,
): (n: number) => boolean {
  if (rule.mode === 'paused') return () => false;
  const { fields } = SUBJECTS[rule.subject];
  const read = getters[rule.subject] as Getters<number, typeof fields>;
  const all = [policy.filter, rule.if].map((text) =>
    compileFilter(text || undefined, fields, read, f.view.moment, budget),
  );
  const inScope = scopeTest(policy.scope, rule.subject, f);
  return (n) => inScope(n) && all.every((holds) => holds(n));
}
