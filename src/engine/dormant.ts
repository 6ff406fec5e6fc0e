/** What is asked of the spaces of a survey beside their access, and who may own those that nobody owns. */
import { bitsFor, forEachBoth } from '../core/access/bits.ts';
import { PRINCIPAL, spaceOfNode } from '../core/access/organisation.ts';
import { addHolders } from '../core/access/reach.ts';
import { likelyOwners, type Seen } from '../core/ask/dormant.ts';
import { spaceFacts, type SpaceFacts } from '../core/ask/spaces.ts';
import { ROLES } from '../core/model.ts';
import type { LikelyOwnerRow } from '../dto/charters.ts';
import { identityKey, managerOf, ownersOfSpace } from './describe.ts';
import { numberOfKey } from './keyed.ts';
import type { Loaded } from './loaded.ts';

const MANAGES = ROLES.indexOf('manager');

const groupIds = new WeakMap<Loaded, Map<string, string>>();
/** The id of a group, by its id, its name, or what its source calls it. */
export function groupNamed(l: Loaded, named: string): string | undefined {
  let ids = groupIds.get(l);
  if (!ids) {
    ids = new Map();
    // an id counts before a name that is the same
    for (const g of l.org.groups) ids.set(g.name, g.id);
    for (const g of l.org.groups) ids.set(l.ids.home('group', g.id)?.id ?? g.id, g.id);
    for (const g of l.org.groups) ids.set(g.id, g.id);
    groupIds.set(l, ids);
  }
  return ids.get(named);
}

/** What events told of spaces and of what lies in them. */
function* seenIn(l: Loaded): Generator<Seen> {
  for (const { key, source, at } of l.seen) {
    const { subject, n } = numberOfKey(l, key);
    if (n >= 0 && (subject === 'item' || subject === 'space'))
      yield { space: spaceOfNode(l.org, n), source, at };
  }
}

const facts = new WeakMap<Loaded, SpaceFacts>();
/** What is asked of spaces beside their access; it follows what charters are now. */
export function spacesOf(l: Loaded): SpaceFacts {
  let of = facts.get(l);
  if (!of)
    facts.set(
      l,
      (of = spaceFacts({
        view: l.view,
        usage: () => l.usage,
        modified: () => l.items.modified,
        seen: () => seenIn(l),
        charters: () => l.charters.now,
        group: (named) => groupNamed(l, named),
      })),
    );
  return of;
}

/** Who is likely to own a space, the likeliest first. */
export function likelyOwnersOf(l: Loaded, s: number): LikelyOwnerRow[] {
  const { org, view: v } = l;
  const { start, identity, opened, edited } = l.usage;
  const deeds = new Map<number, number>();
  const wrote = new Map<number, number>();
  const count = (into: Map<number, number>, i: number): void => void into.set(i, (into.get(i) ?? 0) + 1);
  for (let d = start[org.spaceFirst[s]!]!; d < start[org.spaceFirst[s + 1]!]!; d++) {
    if (opened[d]! > 0 || edited[d]! > 0) count(deeds, identity[d]!);
    if (edited[d]! > 0) count(wrote, identity[d]!);
  }
  // what somebody made they have written in
  for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
    const owner = org.itemOwner[i]!;
    if (owner < 0 || !l.items.isFile[i]) continue;
    count(deeds, owner);
    count(wrote, owner);
  }
  const manages = bitsFor(v.identityCount);
  for (let e = org.entries.first[s]!; e < org.entries.first[s + 1]!; e++)
    // whoever comes in with everybody else is nobody in particular
    if (
      v.live[e] &&
      !org.entries.type[e] &&
      org.entries.role[e]! >= MANAGES &&
      [PRINCIPAL.user, PRINCIPAL.group].includes(
        org.entries.toKind.values[org.entries.toKind.start[e]!]! as never,
      )
    )
      addHolders(v, manages, e);
  const managing: number[] = [];
  forEachBoth(manages, v.members, (i) => managing.push(i));
  const last = new Map<number, string>();
  for (const u of ownersOfSpace(l, s)) {
    const manager = managerOf(l, u);
    if (manager >= 0) last.set(manager, org.users[u]!.name);
  }
  const wish = l.charters.now.wishes.get(org.spaces[s]!.id);
  return likelyOwners(v, {
    deeds,
    wrote,
    manages: managing,
    lastManagers: last,
    wish: wish && { user: org.find('user', wish.person), by: wish.by },
  }).map(({ user, why }) => ({
    key: identityKey(l, user),
    name: org.users[user]!.name,
    address: org.users[user]!.addresses[0] ?? '',
    why,
  }));
}
