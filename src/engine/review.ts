/** What owners are asked about, read from the survey in force. */
import { setImmediate } from 'node:timers/promises';
import { bitsFor, forEachBoth, has } from '../core/access/bits.ts';
import { itemsBelow, nodeOfItem, PRINCIPAL, spaceOfNode } from '../core/access/organisation.ts';
import { who } from '../core/access/questions.ts';
import { addHolders } from '../core/access/reach.ts';
import { ACTIVITY_NAMES, ACTIVITY_SOURCES } from '../core/ask/activity.ts';
import { reviewOf, REVIEWS, type ReviewKind } from '../core/ask/kinds.ts';
import { recommendPerson, recommendShare, recommendSpace, type PersonFacts } from '../core/ask/recommend.ts';
import { counted } from '../core/counted.ts';
import { HEAVY } from '../core/exposure/exposure.ts';
import { liesNowhere } from '../core/guard/judge.ts';
import { domainOf, type Role } from '../core/model.ts';
import { isoOf } from '../core/time.ts';
import { asPolicy } from '../core/orders/as-policy.ts';
import type { Asked, ReviewThing, SpaceToAsk } from '../dto/review.ts';
import {
  entryRef,
  identityKey,
  managerOf,
  nodeName,
  ownersOfSpace,
  personRef,
  workspaceName,
} from './describe.ts';
import { identityWith } from './decide.ts';
import { likelyOwnersOf, spacesOf } from './dormant.ts';
import { gettersOf } from './facts.ts';
import { hitsOf } from './guard.ts';
import { principalsOfEntry } from './happened.ts';
import { below } from './holdings.ts';
import type { Loaded } from './loaded.ts';
import { numberOfKey, spaceOfKey } from './keyed.ts';

const DAY = 86_400_000;
/** Of so many heavy files of a space it is said who can open them. */
const HEAVY_FILES = 200;
const NAMED = 3;
const CAN: Record<Role, string> = {
  reader: 'read it',
  commenter: 'comment on it',
  editor: 'edit it',
  manager: 'edit it and decide who has access',
  owner: 'do anything with it',
};

/** Grants and links by which something in a space is shared with somebody outside, or with whoever has a link. */
function* sharesIn(l: Loaded, space: number): Generator<number> {
  const { org, view } = l;
  const { entries } = org;
  const { grant, link } = gettersOf(l);
  const open = (e: number): boolean => {
    if (!view.live[e]) return false;
    const audience = entries.type[e] ? link.audience(e) : undefined;
    return audience === 'anyone' || audience === 'organisation' || (audience ? link : grant).external(e);
  };
  // who has access to the whole space is asked about as guests
  for (let e = entries.first[space]!; e < entries.first[space + 1]!; e++)
    if (entries.type[e] && open(e)) yield e;
  const [from, to] = [org.spaceFirst[space]!, org.spaceFirst[space + 1]!];
  if (from === to) return;
  for (let e = entries.first[nodeOfItem(org, from)]!; e < entries.first[nodeOfItem(org, to - 1) + 1]!; e++)
    if (open(e)) yield e;
}

/** Identities that have access to the space itself: those from outside, or members. */
function peopleIn(l: Loaded, space: number, kind: ReviewKind): number[] {
  const { org, view } = l;
  const holders = bitsFor(view.identityCount);
  for (let e = org.entries.first[space]!; e < org.entries.first[space + 1]!; e++)
    if (view.live[e] && !org.entries.type[e]) addHolders(view, holders, e);
  const among = kind === 'guests' ? view.externals : view.members;
  const owners = new Set(ownersOfSpace(l, space));
  const found: number[] = [];
  forEachBoth(holders, among, (i) => {
    if (has(view.all, i) && has(view.spaces[space]!.allowed, i) && !owners.has(i)) found.push(i);
  });
  return found;
}

function asked(l: Loaded, users: Iterable<number>): Asked[] {
  const found = new Map<string, Asked>();
  for (const u of users) {
    const user = l.org.users[u];
    const [address] = user?.addresses ?? [];
    if (user?.active && address && has(l.view.members, u))
      found.set(address, { key: identityKey(l, u), address, name: user.name });
  }
  return [...found.values()];
}

/**
 * Who can be asked about a space: its active owners, or else the managers of whoever owns it. Of one that nobody owns: who may
 * own it, the likeliest first.
 */
function askedAbout(l: Loaded, kind: ReviewKind, space: number): Asked[] {
  if (reviewOf(kind).inTurn)
    return asked(
      l,
      likelyOwnersOf(l, space).map((o) => l.org.find('user', o.key.slice('user:'.length))),
    );
  const all = ownersOfSpace(l, space);
  const owners = asked(l, all);
  if (owners.length) return owners;
  return asked(
    l,
    all.map((u) => managerOf(l, u)),
  );
}

/** The spaces, of some or of all, of which a condition holds and in which there is something to ask about. Throws a FilterError. */
export async function spacesToAsk(
  l: Loaded,
  kind: ReviewKind,
  { where, spaces: only }: { where: string; spaces?: readonly string[] | undefined },
  signal?: AbortSignal,
): Promise<SpaceToAsk[]> {
  const { org } = l;
  const policy = asPolicy('a round', 'space', where, []);
  const { space } = gettersOf(l);
  const found: SpaceToAsk[] = [];
  let k = 0;
  const spaces = only?.flatMap((k) => {
    const s = spaceOfKey(l, k);
    return s < 0 ? [] : s;
  });
  for await (const s of hitsOf(l, policy, policy.rules[0]!, { signal, spaces })) {
    if (++k % 50 === 0) {
      await setImmediate();
      signal?.throwIfAborted();
    }
    let n = 0;
    if (REVIEWS[kind].of === 'space') n = 1;
    else if (REVIEWS[kind].of === 'people') n = peopleIn(l, s, kind).length;
    else for (const _ of sharesIn(l, s)) n++;
    if (!n) continue;
    const first = ownersOfSpace(l, s).find((u) => org.users[u]!.department);
    found.push({
      key: `space:${org.spaces[s]!.id}`,
      name: org.spaces[s]!.name,
      workspace: workspaceName(l, s),
      department: first === undefined ? '' : org.users[first]!.department!,
      asked: askedAbout(l, kind, s).slice(0, reviewOf(kind).inTurn ? 1 : undefined),
      n,
      points: space.points(s),
    });
  }
  return found;
}

/** Who can be asked about a space now, by its key; nobody about one that is not there. */
export function whoIsAsked(l: Loaded, kind: ReviewKind, key: string): Asked[] {
  const space = spaceOfKey(l, key);
  return space < 0 ? [] : askedAbout(l, kind, space);
}

/** The key of the space that each of some things is, or in which it lies; undefined of what lies in none. */
export const spacesOfKeys = (l: Loaded, keys: readonly string[]): (string | undefined)[] =>
  keys.map((key) => {
    const { subject, n } = numberOfKey(l, key);
    if (n < 0 || liesNowhere(subject)) return undefined;
    const node = subject === 'grant' || subject === 'link' ? l.org.entries.node[n]! : n;
    return node < 0 ? undefined : `space:${l.org.spaces[spaceOfNode(l.org, node)]!.id}`;
  });

/** Whoever answers for those who were asked, by their keys. */
export const managersOf = (l: Loaded, keys: readonly string[]): Asked[] =>
  asked(
    l,
    keys.map((k) => managerOf(l, l.org.find('user', k.slice('user:'.length)))),
  );

/** People of the organisation who can be asked, by their ids or addresses. */
export const peopleNamed = (l: Loaded, names: readonly string[]): Asked[] =>
  asked(
    l,
    names.map((name) => identityWith(l, name)),
  );

/** Of those who are asked, the keys of those who can still answer. */
export const stillThere = (l: Loaded, keys: readonly string[]): string[] =>
  keys.filter((k) => asked(l, [l.org.find('user', k.slice('user:'.length))]).length > 0);

/** What is asked about of one space, as whoever is asked needs to see it: what is most exposed first. */
export function thingsToAsk(l: Loaded, kind: ReviewKind, key: string): ReviewThing[] {
  const space = spaceOfKey(l, key);
  if (space < 0) return [];
  const { of } = REVIEWS[kind];
  return of === 'space'
    ? [spaceItself(l, kind, space)]
    : of === 'people'
      ? peopleToAsk(l, kind, space)
      : sharesToAsk(l, space);
}

/** The space itself, as whoever is asked needs to see it. */
function spaceItself(l: Loaded, kind: ReviewKind, s: number): ReviewThing {
  const row = l.org.spaces[s]!;
  const { space } = gettersOf(l);
  const facts = spacesOf(l);
  const b = below(l);
  const { bySource, last } = facts.activity();
  const lately = ACTIVITY_NAMES.filter((n) => bySource[n][s]! > 0)
    .sort((x, y) => bySource[y][s]! - bySource[x][s]!)
    .map((n) => ACTIVITY_SOURCES[n]);
  return {
    key: `space:${row.id}`,
    name: row.name,
    detail: `${row.kind.replace('-', ' ')} in ${workspaceName(l, s)}`,
    of: [
      counted(b.files[s]!, ['file', 'files']),
      counted(space.members(s), ['member', 'members']),
      counted(space.external(s), ['person from outside', 'people from outside']),
    ].join(', '),
    by: lately[0] ?? '',
    since: isoOf(Date.parse(row.createdAt ?? '')),
    last: isoOf(last[s]!),
    ends: null,
    weight: b.weight[s]!,
    holds: space.types(s).slice(0, NAMED),
    heavy: space.heavy(s),
    recommended:
      kind === 'needed'
        ? (recommendSpace({
            idle: facts.idleDays(s),
            limit: facts.limit(s),
            files: b.files[s]!,
            heldBack: space.heavy(s) > 0,
          }) ?? null)
        : null,
    ...(kind === 'owner' && {
      reasons: Object.fromEntries(likelyOwnersOf(l, s).map((o) => [o.address, o.why])),
    }),
    ...(kind === 'charter' && { charter: facts.charter(s) ?? null }),
  };
}

const daysSince = (l: Loaded, ms: number): number | null =>
  ms > 0 && ms < Infinity ? Math.max(0, Math.floor((l.view.moment - ms) / DAY)) : null;

/** When each identity last opened or changed something among some items; absent where never. */
function lastIn(l: Loaded, from: number, to: number): Map<number, number> {
  const { start, identity, opened, edited } = l.usage;
  const last = new Map<number, number>();
  for (let d = start[from]!; d < start[to]!; d++) {
    const at = Math.max(opened[d]! || 0, edited[d]! || 0);
    if (at > (last.get(identity[d]!) ?? 0)) last.set(identity[d]!, at);
  }
  return last;
}

function peopleToAsk(l: Loaded, kind: ReviewKind, space: number): ReviewThing[] {
  const { org, view } = l;
  const { identity, item } = gettersOf(l);
  const [from, to] = [org.spaceFirst[space]!, org.spaceFirst[space + 1]!];
  const last = lastIn(l, from, to);
  const people = peopleIn(l, space, kind);
  const heavy = new Map<number, string[]>(people.map((p) => [p, []]));
  let looked = 0;
  for (let i = from; i < to && looked < HEAVY_FILES; i++) {
    const node = nodeOfItem(org, i);
    if (!l.items.isFile[i] || item.weight(node) < HEAVY) continue;
    looked++;
    const bits = who(view, node);
    for (const p of people) if (bits[p]) heavy.get(p)!.push(nodeName(l, node));
  }
  /** How they came in: the entry that names them, or a group that they are in, first made. */
  const entryOf = new Map<number, number>();
  for (let e = org.entries.first[space]!; e < org.entries.first[space + 1]!; e++) {
    if (!view.live[e] || org.entries.type[e]) continue;
    const holders = bitsFor(view.identityCount);
    addHolders(view, holders, e);
    for (const p of people) {
      const had = entryOf.get(p);
      if (has(holders, p) && (had === undefined || org.entries.made[e]! < org.entries.made[had]!))
        entryOf.set(p, e);
    }
  }
  return people
    .map((p) => {
      const { name, address } = personRef(l, p);
      const e = entryOf.get(p);
      const facts: PersonFacts = {
        idleHere: daysSince(l, last.get(p) ?? 0),
        since: e === undefined ? null : daysSince(l, org.entries.made[e]!),
        partner: identity.ofPartner(p),
        lookAlike: identity.lookAlike(p),
      };
      const opens = heavy.get(p)!;
      return {
        key: identityKey(l, p),
        name,
        detail: address,
        of: kind === 'guests' ? domainOf(address) : identity.department(p),
        by: e === undefined ? '' : (entryRef(l, e).madeBy ?? ''),
        since: e === undefined ? null : isoOf(org.entries.made[e]!),
        last: isoOf(last.get(p) ?? 0),
        ends: isoOf(identity.expires(p)),
        weight: opens.length ? HEAVY : 0,
        holds: opens.slice(0, NAMED),
        heavy: opens.length,
        recommended: recommendPerson(facts) ?? null,
      };
    })
    .sort((a, b) => b.heavy - a.heavy || (a.last ?? '').localeCompare(b.last ?? ''));
}

function sharesToAsk(l: Loaded, space: number): ReviewThing[] {
  const { org } = l;
  const { entries } = org;
  const of = gettersOf(l);
  const things: ReviewThing[] = [];
  for (const e of sharesIn(l, space)) {
    const link = entries.type[e]! > 0;
    const g = link ? of.link : of.grant;
    const node = entries.node[e]!;
    const ref = entryRef(l, e);
    const seen = lastIn(l, ...itemsBelow(org, node));
    const used = link
      ? of.link.lastUsed(e)
      : Math.max(
          0,
          ...principalsOfEntry(l, e).map((p) => (p.kind === PRINCIPAL.user ? (seen.get(p.n) ?? 0) : 0)),
        );
    const types = [...g.types(e)];
    const facts = {
      anyone: link && of.link.audience(e) === 'anyone',
      outside: g.external(e),
      partner: g.ofPartner(e),
      lookAlike: g.lookAlike(e),
      weight: g.weight(e),
      types,
      unused: daysSince(l, used),
      ends: g.ends(e),
    };
    things.push({
      key: `${link ? 'link' : 'grant'}:${entries.ids.at(e)}`,
      name: nodeName(l, node),
      detail: g.path(e),
      of: `${facts.anyone ? 'anyone who has the link' : ref.to} can ${CAN[ref.role]}`,
      by: ref.madeBy ?? '',
      since: isoOf(entries.made[e]!),
      last: isoOf(used),
      ends: isoOf(entries.expires[e]!),
      weight: facts.weight,
      holds: types.slice(0, NAMED),
      heavy: 0,
      recommended: recommendShare(facts) ?? null,
    });
  }
  return things.sort((a, b) => b.weight - a.weight || (a.last ?? '').localeCompare(b.last ?? ''));
}
