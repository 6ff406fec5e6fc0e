/** What a rule hits in a survey, and how that is told: how many and the first of them while one edits. */
import { setImmediate } from 'node:timers/promises';
import { HOLDERS } from '../core/filter/fields.ts';
import { fieldsOf, holdingsOf, type Value } from '../core/filter/filter.ts';
import { PACK } from '../core/filter/holds.ts';
import { budgetFor, ruleTest, subjectId, subjectsOf, type ScopeFacts } from '../core/guard/judge.ts';
import { readPolicy, type Wrong } from '../core/guard/policy.ts';
import { SUBJECTS, type Subject } from '../core/guard/kinds.ts';
import type { Policy, Rule } from '../core/guard/schema.ts';
import type { SubjectGetters } from '../core/guard/subjects.ts';
import { parentNode, spaceOfNode } from '../core/access/organisation.ts';
import type { AskedValue } from '../dto/exposure.ts';
import type { Around, Exception, HitThing, RuleHit, RuleTry } from '../dto/guard.ts';
import { identityKey, nameOfUser, nodeKey, nodeName, typeName, typesCounting } from './describe.ts';
import { appsOf } from './apps.ts';
import { gettersOf, holdingTypes } from './facts.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';
import { numberOfKey } from './keyed.ts';

/** Subjects are judged for so long at a stretch; what else is asked comes in between. */
const STRETCH_MS = 15;
/** So many are shown while one edits. */
const SHOWN = 10;
/** Values in a list, and characters of a text, that are told of what was asked about. */
const MOST_VALUES = 5;
const MOST_TEXT = 200;

export const factsOf = (l: Loaded): ScopeFacts => ({
  view: l.view,
  label: (i) => l.items.label(i),
  charter: (s) => {
    const charter = l.charters.now.of.get(l.org.spaces[s]!.id);
    return charter ? [charter.purpose, charter.sensitivity] : [];
  },
  appList: () => appsOf(l).list,
  letIn: () => appsOf(l).letIn(),
  sourceId: (kind, id) => (kind === 'group' ? l.ids.home('group', id)?.id : unkey(id).id),
});

const counts = new WeakMap<Loaded, Map<Subject, number>>();
/** How many subjects of a kind there are. */
export function countOf(l: Loaded, subject: Subject): number {
  const known = counts.get(l) ?? new Map<Subject, number>();
  counts.set(l, known);
  let n = known.get(subject);
  if (n === undefined) {
    n = 0;
    for (const _ of subjectsOf(factsOf(l), subject)) n++;
    known.set(subject, n);
  }
  return n;
}

/** Numbers of the subjects that a rule hits, of all or of those in some spaces. Throws a FilterError, or where the signal is aborted. */
export async function* hitsOf(
  l: Loaded,
  policy: Policy,
  rule: Rule,
  { spaces, signal }: { spaces?: readonly number[] | undefined; signal?: AbortSignal | undefined } = {},
): AsyncGenerator<number> {
  const most = l.org.spaces.length + l.items.length + l.org.entries.ids.length;
  const hits = ruleTest(policy, rule, factsOf(l), gettersOf(l), budgetFor(most));
  let until = performance.now() + STRETCH_MS;
  let k = 0;
  for (const n of subjectsOf(factsOf(l), rule.subject, spaces)) {
    if (hits(n)) yield n;
    if (++k & 63 || performance.now() < until) continue;
    await setImmediate();
    signal?.throwIfAborted();
    until = performance.now() + STRETCH_MS;
  }
}

/** By which what a rule hits is known. */
export const keyOf = (l: Loaded, rule: Pick<Rule, 'subject'>, n: number): string => {
  if (rule.subject === 'identity') return identityKey(l, n);
  return `${rule.subject}:${subjectId(factsOf(l), rule.subject, n)}`;
};

/** A value as it is told: short, and a time that there is not as null. */
function told(value: Value): AskedValue[1] {
  if (typeof value === 'number') return Number.isFinite(value) ? value : null;
  if (typeof value === 'string') return value.slice(0, MOST_TEXT);
  if (typeof value === 'boolean') return value;
  const few = value.slice(0, MOST_VALUES).map((v) => v.slice(0, MOST_TEXT));
  return value.length > MOST_VALUES ? [...few, `and ${value.length - MOST_VALUES} more`] : few;
}

/** Says of a hit what it is, and what the condition asked about. */
export function hitTeller(l: Loaded, policy: Policy, rule: Rule): (n: number) => RuleHit {
  const { fields } = SUBJECTS[rule.subject];
  const getters = gettersOf(l)[rule.subject] as unknown as Record<string, (n: number) => Value>;
  const asked = [
    ...new Set([policy.filter, rule.if].flatMap((text) => (text ? fieldsOf(text, fields) : []))),
  ].filter((name) => name !== 'text');
  const of = gettersOf(l);
  const entry = rule.subject === 'link' ? of.link : of.grant;
  const opens = rule.responses.some((r) => r.do === 'finding');
  const surest = surestOf(l, policy, rule);
  return (n) => {
    const key = keyOf(l, rule, n);
    const onNode = rule.subject === 'grant' || rule.subject === 'link';
    const node = onNode ? l.org.entries.node[n]! : n;
    return {
      rule: rule.id,
      subject: rule.subject,
      key,
      name: onNode
        ? said(of, rule.subject, n)
        : rule.subject === 'appGrant'
          ? appGrantWords(of.appGrant, n)
          : (getters.name!(n) as string),
      where: onNode
        ? [entry.path(n), entry.name(n)].filter(Boolean).join(' › ')
        : rule.subject === 'item'
          ? of.item.path(n)
          : rule.subject === 'space'
            ? of.space.workspace(n)
            : rule.subject === 'identity'
              ? of.identity.address(n)
              : rule.subject === 'app' || rule.subject === 'appGrant'
                ? of[rule.subject].workspace(n)
                : '',
      values: asked.map((name) => [name, told(getters[name]!(n))]),
      open: onNode ? nodeKey(l, node) : rule.subject === 'appGrant' ? appOfGrant(l, n) : key,
      ...surest(node),
      ...(opens && { thing: thingOf(l, rule.subject, node) }),
    };
  };
}

/** How sure the surest match in a file is that a rule asks about. */
export function surestOf(l: Loaded, policy: Policy, rule: Rule): (node: number) => { certainty?: number } {
  const { fields } = SUBJECTS[rule.subject];
  const types = new Set(
    [policy.filter, rule.if].flatMap((text) =>
      text && (HOLDERS as readonly string[]).includes(fields)
        ? holdingsOf(text, fields).flatMap(({ what }) =>
            what.startsWith(PACK) ? (l.packs.byId.get(what.slice(PACK.length)) ?? []) : [what],
          )
        : [],
    ),
  );
  const S = l.org.spaces.length;
  return (node) => {
    if (!types.size || node < S) return {};
    const found = l.content(node - S)?.found.filter((f) => types.has(f.dataType)) ?? [];
    return found.length ? { certainty: Math.max(...found.map((f) => f.levels[0]?.[0] ?? 0)) } : {};
  };
}

/** What a finding tells of what is hit; `n`: the file, folder or space that it is or is on, or the person or group. */
function thingOf(l: Loaded, subject: Rule['subject'], n: number): HitThing {
  const none = { source: '', item: '', space: '', types: [], weight: 0, now: 0, could: 0 };
  if (subject === 'identity') return none;
  if (subject === 'app' || subject === 'appGrant')
    return { ...none, source: unkey(subjectId(factsOf(l), subject, n)).source };
  if (subject === 'group') return { ...none, source: unkey(l.org.groups[n]!.id).source };
  const { org } = l.view;
  const of = gettersOf(l);
  const item = n - org.spaces.length;
  const { source, id } = unkey(item < 0 ? org.spaces[n]!.id : org.itemIds.at(item));
  const owner = item < 0 ? '' : of.item.owner(n);
  return {
    source,
    item: item < 0 ? '' : id,
    space: nodeName(l, spaceOfNode(org, n)),
    ...(owner && { owner }),
    types:
      item < 0 ? [] : typesCounting(l, item).map((t) => ({ name: typeName(l, t.id), distinct: t.distinct })),
    weight: of.item.weight(n),
    now: of.item.now(n),
    could: of.item.could(n),
  };
}

/** The app that was let in, as a key. */
const appOfGrant = (l: Loaded, n: number): string => `app:${appsOf(l).letIn()[n]!.of.app.id}`;

/** An app that was let in, in a few words. */
const appGrantWords = (of: SubjectGetters['appGrant'], n: number): string =>
  `${of.app(n)}, let in ${of.everyone(n) ? 'for everyone' : `by ${of.person(n) || 'somebody who is not known'}`}`;

/** A grant or link in a few words. */
function said({ grant, link }: SubjectGetters, subject: Rule['subject'], e: number): string {
  if (subject === 'grant') return `${grant.to(e) || 'nobody who is known'}: ${grant.role(e)}`;
  const audience = link.audience(e);
  const whom = audience === 'named' ? link.recipients(e).slice(0, 3).join(', ') || 'nobody' : audience;
  return `Link for ${whom}: ${link.role(e)}`;
}

/** By subject of a rule: the exception that it falls under, if any. An exception is for all that is below a thing. */
export function exceptionOf(
  l: Loaded,
  rule: Rule,
  exceptions: readonly Exception[],
): (n: number) => number | undefined {
  const { org } = l.view;
  const S = org.spaces.length;
  const byKey = new Map(
    exceptions.flatMap((x): [string, number][] => (!x.rule || x.rule === rule.id ? [[x.key, x.id]] : [])),
  );
  if (!byKey.size) return () => undefined;
  const nodes = new Map<number, number>();
  const people = new Map<number, number>();
  for (const [key, id] of byKey) {
    const { subject, n } = numberOfKey(l, key);
    if (n >= 0 && (subject === 'item' || subject === 'space')) nodes.set(n, id);
    if (n >= 0 && subject === 'identity') people.set(n, id);
  }
  const above = (node: number): number | undefined => {
    for (let at = node; ; at = parentNode(org, at)) {
      const found = nodes.get(at);
      if (found !== undefined || at < S) return found;
    }
  };
  const entry = rule.subject === 'grant' || rule.subject === 'link';
  return (n) => {
    const own = byKey.get(keyOf(l, rule, n));
    if (own !== undefined || rule.subject === 'group' || rule.subject === 'app') return own;
    if (rule.subject === 'appGrant')
      return byKey.get(appOfGrant(l, n)) ?? people.get(appsOf(l).letIn()[n]!.user);
    if (rule.subject === 'identity') return people.get(n);
    const node = entry ? org.entries.node[n]! : n;
    const owner = node >= S ? org.itemOwner[node - S]! : -1;
    return above(node) ?? (owner >= 0 ? people.get(owner) : undefined);
  };
}

/** What one rule of a policy would hit now, whatever its mode. */
export async function tryRule(
  l: Loaded,
  given: unknown,
  ruleId: string,
  signal?: AbortSignal,
): Promise<{ tried?: RuleTry; wrong: Wrong[] }> {
  const from = performance.now();
  const { policy, wrong } = readPolicy(given, holdingTypes(l));
  const rule = policy?.rules.find((r) => r.id === ruleId);
  if (!policy || !rule) return { wrong };
  const on: Rule = { ...rule, mode: rule.mode === 'paused' ? 'observe' : rule.mode };
  const tell = hitTeller(l, policy, on);
  const first: RuleHit[] = [];
  let hits = 0;
  for await (const n of hitsOf(l, policy, on, { signal })) if (hits++ < SHOWN) first.push(tell(n));
  return { tried: { hits, of: countOf(l, rule.subject), first, took: performance.now() - from }, wrong };
}

/** What is wrong with a policy as things are now. */
export const checkPolicy = (l: Loaded, given: unknown): Wrong[] => readPolicy(given, holdingTypes(l)).wrong;

/** What a key of a hit names, and what it is in or whose it is, to leave all of that out; undefined where it is not there. */
export function around(l: Loaded, key: string): Around | undefined {
  const { subject, n } = numberOfKey(l, key);
  if (n < 0) return undefined;
  const { org } = l.view;
  const S = org.spaces.length;
  const of = gettersOf(l);
  const entry = subject === 'grant' || subject === 'link';
  if (subject === 'identity' || subject === 'group' || subject === 'app')
    return { key, name: of[subject].name(n), wider: [] };
  if (subject === 'appGrant') {
    const { user } = appsOf(l).letIn()[n]!;
    return {
      key,
      name: appGrantWords(of.appGrant, n),
      wider: [
        { key: appOfGrant(l, n), name: of.appGrant.app(n), as: 'app' },
        ...(user < 0
          ? []
          : [{ key: identityKey(l, user), name: of.appGrant.person(n), as: 'person' as const }]),
      ],
    };
  }
  const node = entry ? org.entries.node[n]! : n;
  const owner = node >= S ? org.itemOwner[node - S]! : -1;
  const wider: Around['wider'] = [];
  if (entry && node >= S) wider.push({ key: nodeKey(l, node), name: nodeName(l, node), as: 'item' });
  if (entry || node >= S) {
    const space = spaceOfNode(org, node);
    wider.push({ key: nodeKey(l, space), name: nodeName(l, space), as: 'space' });
  }
  if (owner >= 0)
    wider.push({
      key: `user:${org.users[owner]!.id}`,
      name: nameOfUser(l, org.users[owner]!.id),
      as: 'owner',
    });
  return {
    key,
    name: entry ? `${said(of, subject, n)} (${nodeName(l, node)})` : nodeName(l, node),
    wider,
  };
}
