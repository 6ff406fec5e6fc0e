/** What the core knows by number, in words and references that people and the interface use. */
import type { Change } from '../core/access/change.ts';
import { setWords, sharingWords } from '../core/remedy/fields.ts';
import { nodeOfItem, parentNode, PRINCIPAL, spaceOfNode } from '../core/access/organisation.ts';
import { sources, type Obstacle, type Source } from '../core/access/questions.ts';
import { findIdentity, identityKind, identityName } from '../core/access/view.ts';
import { AUDIENCES, capabilityNames, ROLES, type GrantRow } from '../core/model.ts';
import { atLeast } from '../core/recognise/types.ts';
import type { ContentDoc } from '../store/observed.ts';
import type { EntryRef, NodeRefDto, ObstacleDto, PersonRef } from '../dto/access.ts';
import type { FoundContent } from '../dto/contents.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';

export const typeName = (l: Loaded, id: string): string => l.types.get(id)?.name ?? id;

/** Where a node lies: the names from the space down to what holds it. */
export const whereWords = (l: Loaded, node: number): string =>
  pathOf(l, node)
    .slice(0, -1)
    .map((p) => p.name)
    .join(' › ');

/** The data types that count in an item, with how many distinct values of each. */
export const typesCounting = (l: Loaded, item: number): { id: string; distinct: number }[] =>
  (l.content(item)?.found ?? []).flatMap((f) => {
    const { distinct } = atLeast(f.levels, l.types.get(f.dataType)?.from ?? 0);
    return distinct ? { id: f.dataType, distinct } : [];
  });

/** What was found in a file, as a dossier tells it: the surest first. */
export const contentsOf = (l: Loaded, doc: ContentDoc | undefined): FoundContent[] =>
  (doc?.found ?? [])
    .map(({ dataType, distinct, occurrences, certainty, matches }) => ({
      dataType,
      name: typeName(l, dataType),
      distinct,
      occurrences,
      certainty,
      from: l.types.get(dataType)?.from ?? 0,
      matches,
    }))
    .sort((a, b) => b.certainty - a.certainty);

export const nameOfUser = (l: Loaded, id: string): string => l.org.users[l.org.find('user', id)]?.name ?? id;

export function personRef(l: Loaded, identity: number): PersonRef {
  const id = identityName(l.view, identity);
  const person = l.org.users[identity];
  return {
    id,
    name: person?.name ?? id,
    address: person?.addresses[0] ?? id,
    kind: identityKind(l.view, identity),
  };
}

/** The number of whom somebody reports to; −1 where nobody is known. */
export function managerOf({ org, ids }: Loaded, user: number): number {
  const row = org.users[user];
  if (!row?.manager) return -1;
  const home = ids.home('user', row.id)?.source;
  return org.find('user', home === undefined ? row.manager : ids.user(home, row.manager));
}

/** Numbers of the users who own a space, whether their accounts are active or not. */
export const ownersOfSpace = ({ org }: Loaded, space: number): number[] =>
  (org.spaces[space]!.owners ?? []).flatMap((id) => {
    const u = org.find('user', id);
    return u < 0 ? [] : u;
  });

/** By which a person is known in hits and decisions. */
export const identityKey = (l: Loaded, identity: number): string =>
  `${identity < l.org.users.length ? 'user' : 'outsider'}:${identityName(l.view, identity)}`;

export const nodeKind = (l: Loaded, node: number): 'space' | 'folder' | 'file' =>
  node < l.org.spaces.length ? 'space' : l.items.isFile[node - l.org.spaces.length] ? 'file' : 'folder';
export const nodeName = (l: Loaded, node: number): string =>
  node < l.org.spaces.length ? l.org.spaces[node]!.name : l.items.name(node - l.org.spaces.length);
const keyOf = (l: Loaded, node: number): string =>
  node < l.org.spaces.length ? l.org.spaces[node]!.id : l.org.itemIds.at(node - l.org.spaces.length);
export const nodeId = (l: Loaded, node: number): string => unkey(keyOf(l, node)).id;

/** The name by which the API speaks of a node: `space:SOURCE:ID` or `item:SOURCE:ID`. */
export const nodeKey = (l: Loaded, node: number): string =>
  `${node < l.org.spaces.length ? 'space' : 'item'}:${keyOf(l, node)}`;

/** The node of such a name, or −1. */
export function findNode(l: Loaded, name: string): number {
  const at = name.indexOf(':');
  const rest = name.slice(at + 1);
  if (name.startsWith('item:')) {
    const item = l.org.find('item', rest);
    return item < 0 ? -1 : nodeOfItem(l.org, item);
  }
  const space = name.startsWith('space:') ? l.org.find('space', rest) : -1;
  return space >= 0 && l.org.spaceListed[space] ? space : -1;
}

export const nodeRef = (l: Loaded, node: number): NodeRefDto => ({
  key: nodeKey(l, node),
  kind: nodeKind(l, node),
  name: nodeName(l, node),
});

/** The nodes from the space down to a node. */
export function pathOf(l: Loaded, node: number): NodeRefDto[] {
  const path: NodeRefDto[] = [];
  for (let at = node; at >= 0; at = parentNode(l.org, at)) path.unshift(nodeRef(l, at));
  return path;
}

export function principalName(l: Loaded, kind: number, number: number): string {
  if (kind === PRINCIPAL.user) return l.org.users[number]!.name;
  if (kind === PRINCIPAL.group) return `group ${l.org.groups[number]!.name}`;
  if (kind === PRINCIPAL.address) return l.org.addresses[number]!;
  if (kind === PRINCIPAL.domain) return `everybody at ${l.org.domains[number]}`;
  return kind === PRINCIPAL.everyone ? 'everyone in the organisation' : 'anyone at all';
}

export function entryRef(l: Loaded, e: number): EntryRef {
  const { entries } = l.org;
  const { source, id } = unkey(entries.ids.at(e));
  const names = [];
  for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++)
    names.push(principalName(l, entries.toKind.values[i]!, entries.toNumber.values[i]!));
  const row = l.entryRow(e);
  const isLink = entries.type[e]! > 0;
  const by = 'createdBy' in row ? row.createdBy : (row as GrantRow).grantedBy;
  const audience = isLink ? AUDIENCES[entries.type[e]! - 1]! : undefined;
  const on = entries.node[e]!;
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
          : names.length > 4
            ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more`
            : names.join(', '),
    ...(audience && { audience }),
    on:
      on < 0
        ? { kind: 'file', id: '', name: 'nothing that is known' }
        : { kind: nodeKind(l, on), id: nodeId(l, on), name: nodeName(l, on) },
    ...(by && { madeBy: nameOfUser(l, by) }),
    ...(!Number.isNaN(entries.made[e]!) && { madeAt: new Date(entries.made[e]!).toISOString() }),
    ...('lastUsedAt' in row && row.lastUsedAt && { lastUsedAt: row.lastUsedAt }),
  };
}

export const sentence = (e: EntryRef): string =>
  `${e.kind === 'link' ? 'sharing link' : 'grant'} to ${e.to} (${e.role}) on ${e.on.kind} “${e.on.name}”`;

/** The fields of a grant or link as they are, as a change sets them. */
function fieldsNow(l: Loaded, e: number): Record<string, unknown> {
  const { entries, users, groups, addresses } = l.org;
  const recipients = [];
  for (let i = entries.toKind.start[e]!; i < entries.toKind.start[e + 1]!; i++) {
    const n = entries.toNumber.values[i]!;
    const kind = entries.toKind.values[i];
    if (kind === PRINCIPAL.user) recipients.push({ user: users[n]!.id });
    else if (kind === PRINCIPAL.group) recipients.push({ group: groups[n]!.id });
    else if (kind === PRINCIPAL.address) recipients.push({ email: addresses[n]! });
  }
  const expires = entries.expires[e]!;
  return {
    role: ROLES[entries.role[e]!],
    audience: AUDIENCES[entries.type[e]! - 1],
    expiresAt: Number.isFinite(expires) ? new Date(expires).toISOString() : null,
    noCopies: entries.noCopies[e] === 1,
    recipients,
  };
}

/** A change in words, as something to be done. */
export function changeWords(l: Loaded, change: Change): string {
  const { org } = l;
  const group = (id: string): string => org.groups[org.find('group', id)]?.name ?? id;
  const naming = (what: string) => ({ what, user: (id: string) => nameOfUser(l, id), group });
  if ('grant' in change || 'link' in change) {
    const kind = 'grant' in change ? 'grant' : 'link';
    const e = org.find(kind, 'grant' in change ? change.grant : change.link);
    if (e < 0) return `Change a ${kind} that is not there any more`;
    const { to, on } = entryRef(l, e);
    const what = `the ${kind} to ${to} on ${on.kind} “${on.name}”`;
    return change.set ? setWords(kind, change.set, naming(what), fieldsNow(l, e)) : `Withdraw ${what}`;
  }
  if ('member' in change) {
    const identity = findIdentity(l.view, change.member.value);
    const who = identity >= 0 ? personRef(l, identity).address : `the group “${group(change.member.value)}”`;
    return `Take ${who} out of the group “${group(change.member.group)}”`;
  }
  if ('user' in change) {
    const person = org.users[org.find('user', change.user)];
    const who = `the ${person?.kind ?? 'account'} ${person?.addresses[0] ?? change.user}`;
    return setWords('person', change.set, naming(who));
  }
  if ('item' in change) {
    const n = org.find('item', change.item);
    const name = n < 0 ? change.item : `“${nodeName(l, nodeOfItem(org, n))}”`;
    return setWords('item', change.set, naming(name));
  }
  if ('workspace' in change) {
    const name = org.workspaces.find((w) => w.id === change.workspace)?.name ?? change.workspace;
    return `Share what is in ${name} ${sharingWords(change.set.externalSharing)}`;
  }
  const n = org.find('space', change.space);
  return setWords('space', change.set, naming(`the space “${n < 0 ? change.space : nodeName(l, n)}”`));
}

export const workspaceName = (l: Loaded, space: number): string =>
  l.org.workspaces.find((w) => w.id === l.org.spaces[space]!.workspace)?.name ?? 'unknown workspace';

/** Why not, step by step, in words. */
export function obstacleWords(l: Loaded, node: number, o: Obstacle): ObstacleDto {
  const space = l.org.spaces[spaceOfNode(l.org, node)]!;
  if (o.by === 'inactive')
    return { by: o.by, words: 'The account is not active, so it can do nothing anywhere.' };
  if (o.by === 'no-route')
    return {
      by: o.by,
      words: 'Nothing on it or above it names this identity: no grant, no link, no group, no visibility.',
    };
  if (o.by === 'held') return { by: o.by, words: 'It is in quarantine, so nobody can do anything with it.' };
  if (!('source' in o)) {
    const took = capabilityNames(o.bits).join(', ');
    return {
      by: o.by,
      words:
        o.by === 'bin'
          ? `“${space.name}” is in the bin, so nobody can do anything with what is in it; it takes away ${took}.`
          : o.by === 'gate'
            ? `The gate of “${space.name}” keeps out whoever is in none of its groups; it takes away ${took}.`
            : `External sharing of “${space.name}” does not let this identity in; it takes away ${took}.`,
    };
  }
  const entry = typeof o.source.entry === 'number' ? entryRef(l, o.source.entry) : undefined;
  const name = entry ? `The ${sentence(entry)}` : `The visibility of “${space.name}”`;
  const words = {
    expired: `${name} names them, and has expired.`,
    'not-followed': `${name} would let them in, and they have not followed it.`,
    inert: `${name} gives nothing to anybody here: what is for anyone is shut out.`,
    break: `${name} names them, and a folder below does not inherit it.`,
  }[o.by];
  return { by: o.by, words, ...(entry && { entry }) };
}

/** Everything that applies to a node, nearest first. */
export const sourcesOf = (l: Loaded, node: number): Source[] => sources(l.view, node);
