/** Who and what is named on the command line: by id, or an account by an address of it. */
import { distance } from 'fastest-levenshtein';
import { addressName } from '../core/access/addresses.ts';
import { unknownIn, type Change, type NamedKind } from '../core/access/change.ts';
import { nodeOfItem, type Organisation } from '../core/access/organisation.ts';
import { findIdentity, type View } from '../core/access/view.ts';
import { CliError } from './messages.ts';

/** More names than this are not gone through for a suggestion. */
const COMPARED = 200_000;
interface Named {
  length: number;
  at(n: number): string | undefined;
}
const ids = (rows: readonly { id: string }[]): string[] => rows.map((r) => r.id);
const IDS: Record<NamedKind, (org: Organisation) => Named> = {
  user: (org) => ids(org.users),
  group: (org) => ids(org.groups),
  space: (org) => ids(org.spaces),
  item: (org) => org.itemIds,
  grant: (org) => org.entries.ids,
  link: (org) => org.entries.ids,
  workspace: (org) => ids(org.workspaces),
};

/** Names like one that is not there, as a sentence; empty where none is. */
function nearest(names: Named, name: string): string {
  const small = name.toLowerCase();
  const like = Array.from({ length: Math.min(COMPARED, names.length) }, (_, n) => names.at(n)!)
    .map((other) => ({ other, far: distance(other.toLowerCase(), small) }))
    .filter(({ far }) => far <= Math.max(2, name.length / 3))
    .sort((a, b) => a.far - b.far)
    .slice(0, 3);
  return like.length ? ` The nearest: ${like.map((l) => l.other).join(', ')}.` : '';
}

/** Refuses an id that the extract does not have. */
export function unknown(org: Organisation, kind: NamedKind, id: string, before = ''): CliError {
  const there = `${before}${before ? 'there' : 'There'}`;
  return new CliError(`${there} is no ${kind} ${id} in this extract.${nearest(IDS[kind](org), id)}`);
}

/** The node of an item or a space. Throws CliError where there is none. */
export function nodeNamed(v: View, id: string): number {
  const { org } = v;
  const item = org.find('item', id);
  if (item >= 0) return nodeOfItem(org, item);
  const space = org.find('space', id);
  if (space >= 0 && org.spaceListed[space]) return space;
  const all: Named = {
    length: org.spaces.length + org.itemIds.length,
    at: (n) => (n < org.spaces.length ? org.spaces[n]!.id : org.itemIds.at(n - org.spaces.length)),
  };
  throw new CliError(`There is no item or space ${id} in this extract.${nearest(all, id)}`);
}

/** The id of the account with an address, or of the only active one; undefined where there is none. */
function accountWith(org: Organisation, address: string): string | undefined {
  const wanted = addressName(address);
  const accounts = org.users.filter((u) => u.addresses.includes(wanted));
  const active = accounts.filter((u) => u.active);
  const among = active.length ? active : accounts;
  if (among.length > 1)
    throw new CliError(`${address} is an address of ${ids(among).join(', ')}. Name one by its id.`);
  return among[0]?.id;
}

/** An id, or that of the account whose address it is. */
const userId = (org: Organisation, name: string): string =>
  org.find('user', name) >= 0 || !name.includes('@') ? name : (accountWith(org, name) ?? name);

/** An identity by id or address; −1 for an account that is not active. Throws CliError where nobody is called so. */
export function identityNamed(v: View, name: string): number {
  const { org } = v;
  const found = findIdentity(v, name);
  if (found >= 0) return found;
  const id = userId(org, name);
  if (org.find('user', id) >= 0) return findIdentity(v, id);
  const known = [...ids(org.users), ...org.users.flatMap((u) => u.addresses), ...v.outsiders];
  throw new CliError(
    `Nobody is known as ${name} in this extract, by id or by address.${nearest(known, name)}`,
  );
}

/** A change with accounts by their ids. */
export function withIds(org: Organisation, change: Change): Change {
  if ('user' in change) return { ...change, user: userId(org, change.user) };
  if ('member' in change && org.find('group', change.member.value) < 0)
    return { member: { ...change.member, value: userId(org, change.member.value) } };
  if ('item' in change && change.set.owner)
    return { ...change, set: { ...change.set, owner: userId(org, change.set.owner) } };
  return change;
}

/** Names like what a change names and the extract does not have, as a sentence; empty where there are none. */
export const nearestTo = (org: Organisation, change: Change): string =>
  unknownIn(org, change)
    .map(({ kind, id }) => nearest(IDS[kind](org), id))
    .join('');

/** Refuses a change that names what the extract does not have. */
export function refuseUnknown(org: Organisation, change: Change, where: string): void {
  for (const { kind, id } of unknownIn(org, change)) throw unknown(org, kind, id, `${where}: `);
}
