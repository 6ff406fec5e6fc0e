/** What standing orders ask of the survey in force: what is shared, whether it still is, and who is told. */
import { has } from '../core/access/bits.ts';
import { withdrawal } from '../core/access/change.ts';
import { whatIf } from '../core/access/difference.ts';
import { PRINCIPAL, spaceOfNode } from '../core/access/organisation.ts';
import type { ReachColumns } from '../core/access/reach.ts';
import type { Filtered } from '../core/filter/fields.ts';
import { compileFilter, USUAL_STEPS } from '../core/filter/filter.ts';
import { SUBJECTS, type Subject } from '../core/guard/kinds.ts';
import type { MessageTo } from '../core/guard/schema.ts';
import type { Principal } from '../core/guard/subjects.ts';
import { TIERS } from '../core/model.ts';
import { nameOrder } from '../core/name-order.ts';
import { asPolicy } from '../core/orders/as-policy.ts';
import type { ReachWithout } from '../dto/events.ts';
import { findNode, identityKey, managerOf, nodeKey, nodeName, ownersOfSpace } from './describe.ts';
import { gettersOf } from './facts.ts';
import { hitsOf, keyOf } from './guard.ts';
import { principalsOfEntry, targetOf } from './happened.ts';
import { key, unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';
import { appsOf } from './apps.ts';
import { numberOfKey } from './keyed.ts';

/** What a run is about: keys of hits, and whom it was shared with as the source names them. */
export interface OrderAbout {
  source: string;
  things: readonly string[];
  actor: string;
  targets: readonly string[];
}

const same = (a: Principal, b: Principal): boolean =>
  a.kind === b.kind && (a.n >= 0 || b.n >= 0 ? a.n === b.n : a.address === b.address);

/** Numbers of the grants and links by which the things are shared with the targets. */
export function sharesOf(l: Loaded, { source, things, targets }: OrderAbout): number[] {
  const { org, view } = l;
  const wanted = targets.flatMap((t) => targetOf(l, source, t) ?? []);
  const found: number[] = [];
  for (const thing of things) {
    const node = findNode(l, thing);
    if (node < 0) continue;
    for (let e = org.entries.first[node]!; e < org.entries.first[node + 1]!; e++) {
      if (!view.live[e]) continue;
      const named = principalsOfEntry(l, e);
      if (wanted.some((w) => named.some((p) => same(p, w)))) found.push(e);
    }
  }
  return found;
}

/** Of each thing how far it can be reached, and how far without what all of them were shared by; undefined where it is not there. */
export function reachWithout(l: Loaded, shared: readonly OrderAbout[]): (ReachWithout | undefined)[] {
  const entries = new Set(shared.flatMap((about) => sharesOf(l, about)));
  const { touched, after } = whatIf(
    l.view,
    [...entries].map((e) => withdrawal(l.org, e)),
    l.columns,
  );
  const later = new Set(touched);
  const pair = (c: ReachColumns, node: number): ReachWithout['now'] => ({
    now: TIERS[c.nowTier[node]!]!,
    could: TIERS[c.couldTier[node]!]!,
  });
  return shared.map(({ things: [thing] }) => {
    const node = thing === undefined ? -1 : findNode(l, thing);
    if (node < 0) return undefined;
    const now = pair(l.columns, node);
    return { now, without: later.has(node) ? pair(after, node) : now };
  });
}

/** Keys of what a step is about, as rules hit them. */
export function orderSubjects(
  l: Loaded,
  about: OrderAbout,
  of: 'thing' | 'share' | 'actor' | 'target',
): string[] {
  const { org } = l;
  if (of === 'thing') return about.things.filter((k) => numberOfKey(l, k).n >= 0);
  if (of === 'actor') return about.actor ? [about.actor] : [];
  if (of === 'target')
    return about.targets.flatMap((t) => {
      const p = targetOf(l, about.source, t);
      return p?.kind === PRINCIPAL.user && p.n >= 0 ? identityKey(l, p.n) : [];
    });
  return sharesOf(l, about).map((e) => `${org.entries.type[e] ? 'link' : 'grant'}:${org.entries.ids.at(e)}`);
}

/** Whether what was shared still is; of what was not shared, whether it is still there. */
export const stillSo = (l: Loaded, about: OrderAbout): boolean =>
  about.targets.length ? sharesOf(l, about).length > 0 : about.things.some((k) => numberOfKey(l, k).n >= 0);

/** Whether a condition holds of any of the things as they are. Throws a FilterError. */
export function thingFits(l: Loaded, about: OrderAbout, subject: Subject, where: string): boolean {
  const getters = gettersOf(l)[subject];
  const fits = compileFilter<number, Filtered>(
    where,
    SUBJECTS[subject].fields,
    getters,
    Date.parse(l.takenAt),
    USUAL_STEPS,
  );
  return about.things.some((k) => {
    const { n } = numberOfKey(l, k);
    return n >= 0 && fits(n);
  });
}

/** What messages say of a thing; undefined where it is not there. */
export interface ThingFacts {
  key: string;
  /** By which name it opens. */
  open: string;
  name: string;
  path: string;
  types: string[];
  label: string;
  weight: number;
  owner: string;
  workspace: string;
}
export function thingFacts(l: Loaded, keys: readonly string[]): (ThingFacts | undefined)[] {
  const of = gettersOf(l);
  return keys.map((k) => {
    const { subject, n } = numberOfKey(l, k);
    if (n < 0) return undefined;
    const none = { key: k, open: k, path: '', types: [], label: '', weight: 0, owner: '', workspace: '' };
    if (subject === 'identity') return { ...none, name: of.identity.name(n), path: of.identity.address(n) };
    if (subject === 'group') return { ...none, name: of.group.name(n) };
    if (subject === 'app') return { ...none, name: of.app.name(n), workspace: of.app.workspace(n) };
    if (subject === 'appGrant')
      return {
        ...none,
        name: of.appGrant.app(n),
        owner: of.appGrant.person(n),
        workspace: of.appGrant.workspace(n),
      };
    const node = subject === 'grant' || subject === 'link' ? l.org.entries.node[n]! : n;
    if (node < 0) return undefined;
    return {
      key: k,
      open: nodeKey(l, node),
      name: nodeName(l, node),
      path: of.item.path(node),
      types: [...of.item.types(node)],
      label: of.item.label(node),
      weight: of.item.weight(node),
      owner: of.item.owner(node),
      workspace: unkey(l.org.spaces[spaceOfNode(l.org, node)]!.id).source,
    };
  });
}

/** Somebody who is told: an address and a name, and by which key they open; or a channel. */
export interface Told {
  way: 'mail' | 'chat';
  recipient: string;
  name: string;
  key: string;
}

/** Whom recipients come to, each once; `taking`: sources that take messages. What is told by the store (stewards, addresses) is not among them. */
export function recipients(
  l: Loaded,
  about: OrderAbout,
  to: readonly MessageTo[],
  taking: readonly string[],
  sponsors = sponsorsIn(l),
): Told[] {
  const { org, view } = l;
  const found = new Map<string, Told>();
  const person = (u: number): void => {
    const user = org.users[u];
    const address = user?.addresses[0];
    if (user?.active && address)
      found.set(address, { way: 'mail', recipient: address, name: user.name, key: identityKey(l, u) });
  };
  const numberOf = (k: string): number => numberOfKey(l, k).n;
  const manager = (u: number): void => {
    const m = managerOf(l, u);
    if (m >= 0) person(m);
  };
  for (const one of to) {
    if ('actor' in one) person(numberOf(about.actor));
    else if ('target' in one)
      for (const k of orderSubjects(l, about, 'target')) {
        const n = numberOf(k);
        if (n < org.users.length) person(n);
      }
    else if ('manager' in one) {
      const who = about.actor ? [about.actor] : about.things.filter((k) => k.startsWith('user:'));
      for (const k of who) manager(numberOf(k));
    } else if ('owner' in one) for (const k of about.things) for (const u of ownersOf(l, k)) person(u);
    else if ('group' in one) {
      const g = org.groups.findIndex(
        (x) => x.id === one.group || x.name === one.group || l.ids.home('group', x.id)?.id === one.group,
      );
      if (g >= 0) for (let u = 0; u < org.users.length; u++) if (has(view.groupMembers[g]!, u)) person(u);
    } else if ('channel' in one) {
      const s = channelsOf(l, taking).find((c) => c.id === one.channel || c.name === one.channel);
      if (s)
        found.set(s.id, { way: 'chat', recipient: s.id, name: s.name, key: `space:${key(s.source, s.own)}` });
    } else if ('sponsor' in one)
      for (const k of about.things) for (const u of sponsorsOf(l, k, sponsors)) person(u);
  }
  return [...found.values()];
}

/** Who owns a thing: of what has no owner of its own, the owners of its space. */
function ownersOf(l: Loaded, k: string): number[] {
  const { org } = l;
  const S = org.spaces.length;
  const { subject, n } = numberOfKey(l, k);
  if (n < 0 || subject === 'identity' || subject === 'group' || subject === 'app') return [];
  if (subject === 'appGrant') {
    const { user } = appsOf(l).letIn()[n]!;
    return user < 0 ? [] : [user];
  }
  const node = subject === 'grant' || subject === 'link' ? org.entries.node[n]! : n;
  if (node < 0) return [];
  const own = node >= S ? org.itemOwner[node - S]! : -1;
  if (own >= 0 && org.users[own]?.active) return [own];
  return ownersOfSpace(l, spaceOfNode(org, node));
}

/** Of each key the same as `recipients` has of it alone. */
export function recipientsOfEach(
  l: Loaded,
  keys: readonly string[],
  to: readonly MessageTo[],
  taking: readonly string[],
): Told[][] {
  const sponsors = sponsorsIn(l);
  return keys.map((k) =>
    recipients(l, { source: '', things: [k], actor: '', targets: [] }, to, taking, sponsors),
  );
}

/** Who answers for somebody: whoever has shared most with them. What they are asked of is gone through once. */
function sponsorsIn(l: Loaded): (user: number) => number | undefined {
  let most: Map<number, number> | undefined;
  return (user) => (most ??= readSponsors(l)).get(user);
}
function readSponsors(l: Loaded): Map<number, number> {
  const times = new Map<number, Map<number, number>>();
  for (let e = 0; e < l.org.entries.ids.length; e++) {
    const by = l.madeBy[e]!;
    if (by < 0 || !l.org.users[by]?.active || !l.view.live[e]) continue;
    const named = principalsOfEntry(l, e).flatMap((p) =>
      p.kind === PRINCIPAL.user && p.n >= 0 && p.n !== by ? p.n : [],
    );
    for (const u of new Set(named)) {
      const of = times.get(u) ?? new Map<number, number>();
      times.set(u, of.set(by, (of.get(by) ?? 0) + 1));
    }
  }
  return new Map([...times].map(([u, of]) => [u, [...of].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0]![0]]));
}

function sponsorsOf(l: Loaded, k: string, sponsors: ReturnType<typeof sponsorsIn>): number[] {
  const { subject, n } = numberOfKey(l, k);
  if (n < 0 || subject !== 'identity') return ownersOf(l, k);
  const by = sponsors(n);
  return by === undefined ? [] : [by];
}

/** Channels that messages can be put into, by name. `taking`: sources that take messages. */
export function channelsOf(
  l: Loaded,
  taking: readonly string[],
): { id: string; source: string; own: string; name: string }[] {
  return l.org.spaces
    .flatMap((s, n) => {
      const { source, id } = unkey(s.id);
      return s.kind === 'channel' && taking.includes(source) && l.org.spaceListed[n]
        ? { id: `${source}/${id}`, source, own: id, name: s.name }
        : [];
    })
    .sort((a, b) => nameOrder(a.name, b.name));
}

/** Of so many an order begins at once, at most; what is more comes with the next time. */
const MOST = 1000;

/**
 * Subjects of which a condition holds, each with a date of theirs where one is asked for that is to come within so many
 * milliseconds. Throws a FilterError.
 */
export async function orderFits(
  l: Loaded,
  subject: Subject,
  where = 'true',
  date: { field: string; before: number } | undefined,
  now: number,
): Promise<{ key: string; date: number | null }[]> {
  const dateOf =
    date && (gettersOf(l)[subject] as unknown as Record<string, (n: number) => number>)[date.field]!;
  const policy = asPolicy('an order', subject, where, []);
  const [rule] = policy.rules;
  const found: { key: string; date: number | null }[] = [];
  for await (const n of hitsOf(l, policy, rule!)) {
    const at = dateOf?.(n);
    if (at !== undefined && !(at > now && at - date!.before <= now)) continue;
    found.push({ key: keyOf(l, rule!, n), date: at ?? null });
    if (found.length === MOST) break;
  }
  return found;
}
