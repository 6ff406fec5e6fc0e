/** What policies hit: who and what is in scope, and of what conditions hold. Pure; by number, so that it runs over columns. */
import { hmac } from '@noble/hashes/hmac.js';
import { sha256 } from '@noble/hashes/sha2.js';
import { utf8ToBytes } from '@noble/hashes/utils.js';
import type { Organisation } from '../access/organisation.ts';
import { spaceOfNode } from '../access/organisation.ts';
import { groupsAbove, groupsOfUser } from '../access/groups.ts';
import { isHidden, identityName, type View } from '../access/view.ts';
import { compileFilter, type Getters } from '../filter/filter.ts';
import type { Policy, Rule, Scope, ScopeKey } from './schema.ts';
import { SUBJECTS, type Subject } from './kinds.ts';
import type { SubjectGetters } from './subjects.ts';

/** What is asked about an organisation that scopes are judged by. */
export interface ScopeFacts {
  view: View;
  /** Label of a file or folder. */
  label(item: number): string | undefined;
}

/** Every subject of a kind, in the order of their numbers. */
export function* subjectsOf(v: View, subject: Subject): Generator<number> {
  const { org } = v;
  const S = org.spaces.length;
  const isLink = (e: number): boolean => org.entries.type[e]! > 0;
  switch (subject) {
    case 'item':
      for (let i = 0; i < org.itemIds.length; i++) yield S + i;
      return;
    case 'space':
      for (let s = 0; s < S; s++) if (org.spaceListed[s]) yield s;
      return;
    case 'group':
      for (let g = 0; g < org.groups.length; g++) yield g;
      return;
    case 'identity':
      for (let i = 0; i < v.identityCount; i++)
        if (!isHidden(v, i) && (i >= org.users.length || org.userListed[i])) yield i;
      return;
    default:
      for (let e = 0; e < org.entries.ids.length; e++)
        if (v.live[e] && org.entries.node[e]! >= 0 && isLink(e) === (subject === 'link')) yield e;
  }
}

/** What a subject is called in the organisation. */
export function subjectId({ org, ...v }: View, subject: Subject, n: number): string {
  switch (subject) {
    case 'item':
      return org.itemIds.at(n - org.spaces.length);
    case 'space':
      return org.spaces[n]!.id;
    case 'group':
      return org.groups[n]!.id;
    case 'identity':
      return identityName({ org, ...v }, n);
    default:
      return org.entries.ids.at(n);
  }
}

/**
 * Whether a subject is in a policy's scope, whoever acts. A thing is in it if for every key of `include` one of its values
 * is named, and none of `exclude` is; departments, groups and people are those of whom `of` names.
 */
export function scopeTest(scope: Scope | undefined, subject: Subject, f: ScopeFacts): (n: number) => boolean {
  if (!scope) return () => true;
  const { org } = f.view;
  const S = org.spaces.length;
  const spaceOf = (n: number): number =>
    subject === 'identity' || subject === 'group'
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
  /** Numbers of the users that departments, groups and people are asked of. */
  const peopleOf = (n: number): readonly number[] => {
    if (subject === 'identity') return n < org.users.length ? [n] : [];
    if (subject === 'group') return [];
    const item = itemOf(n);
    const owner = scope.of === 'space' || item < 0 ? -1 : org.itemOwner[item]!;
    return owner >= 0 ? [owner] : owners[spaceOf(n)]!;
  };
  const bySpace = (value: (s: number) => string | undefined) => (n: number) => {
    const s = spaceOf(n);
    return s < 0 ? [] : [value(s) ?? ''];
  };
  const groupIds = (groups: Iterable<number>): string[] =>
    [...groups].flatMap((g) => [org.groups[g]!.id, org.groups[g]!.name]);
  const values: Record<ScopeKey, (n: number) => readonly string[]> = {
    units: (n) => peopleOf(n).flatMap((u) => org.users[u]?.department ?? []),
    groups: (n) =>
      subject === 'group'
        ? groupIds(groupsAbove(org, [n]))
        : peopleOf(n).flatMap((u) => (u < 0 ? [] : groupIds(groupsOfUser(org, u)))),
    people: (n) =>
      subject === 'identity'
        ? [identityName(f.view, n), ...(org.users[n]?.addresses ?? [])]
        : peopleOf(n).flatMap((u) => [idOf(u), ...(org.users[u]?.addresses ?? [])]),
    workspaces: (n) => {
      const s = spaceOf(n);
      const id = s < 0 ? undefined : org.spaces[s]!.workspace;
      return id === undefined ? [] : [id, org.workspaces.find((w) => w.id === id)?.name ?? id];
    },
    spaces: (n) => {
      const s = spaceOf(n);
      return s < 0 ? [] : [org.spaces[s]!.id, org.spaces[s]!.name];
    },
    spaceKinds: bySpace((s) => org.spaces[s]!.kind),
    labels: (n) => {
      const item = itemOf(n);
      const s = spaceOf(n);
      return [item < 0 ? undefined : f.label(item), s < 0 ? undefined : org.spaces[s]!.label].flatMap(
        (l) => l ?? [],
      );
    },
    charters: () => [],
    regions: bySpace((s) => org.spaces[s]!.region),
  };
  const parts = (of: Scope['include']): [ScopeKey, ReadonlySet<string>][] =>
    Object.entries(of ?? {}).flatMap(([key, names]) =>
      names?.length ? [[key as ScopeKey, new Set<string>(names)]] : [],
    );
  const [include, exclude] = [parts(scope.include), parts(scope.exclude)];
  const names = (key: ScopeKey, of: ReadonlySet<string>, n: number): boolean =>
    values[key](n).some((x) => of.has(x));
  const pilot = pilotTest(scope.pilot, org, idOf);
  return (n) =>
    include.every(([key, of]) => names(key, of, n)) &&
    !exclude.some(([key, of]) => names(key, of, n)) &&
    (!pilot || peopleOf(n).some(pilot));
}

/** Whether a user is in a pilot: of its groups, or in a share that stays the same people as it grows. */
function pilotTest(
  pilot: Scope['pilot'],
  org: Organisation,
  idOf: (user: number) => string,
): ((user: number) => boolean) | undefined {
  if (!pilot) return undefined;
  const known = new Map<number, boolean>();
  const groups = 'groups' in pilot ? new Set(pilot.groups) : undefined;
  const is = (u: number): boolean =>
    groups
      ? u >= 0 &&
        [...groupsOfUser(org, u)].some(
          (g) => groups.has(org.groups[g]!.id) || groups.has(org.groups[g]!.name),
        )
      : 'share' in pilot && shareOf(pilot.salt, idOf(u)) < pilot.share;
  return (u) => {
    let inIt = known.get(u);
    if (inIt === undefined) known.set(u, (inIt = is(u)));
    return inIt;
  };
}

/** Bytes of which a number in [0, 1) is made: as many as a double holds exactly. */
const BYTES = 6;
/** Where a person stands in [0, 1), by HMAC-SHA-256 (RFC 2104) of their id. */
export const shareOf = (salt: string, id: string): number =>
  hmac(sha256, utf8ToBytes(salt), utf8ToBytes(id))
    .subarray(0, BYTES)
    .reduce((sum, byte, n) => sum + byte / 256 ** (n + 1), 0);

/** What one rule of a policy is compiled to; rules that are paused hit nothing. `taken`: the moment that the word stands for. */
export function ruleTest(
  policy: Pick<Policy, 'scope' | 'filter'>,
  rule: Rule,
  f: ScopeFacts,
  getters: SubjectGetters,
  budget: number,
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
