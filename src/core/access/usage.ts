/** Who really opened or edited what: from activity, beside what is granted. */
import { CAP } from '../model.ts';
import { addressName } from './addresses.ts';
import { listsBy } from './growable.ts';
import { itemsBelow, type Organisation } from './organisation.ts';
import type { View } from './view.ts';

/** What was used within so many days was used lately. */
export const USED_DAYS = 90;

/** What one identity did with one item last, in milliseconds since 1970; NaN where never. */
export interface Deed {
  identity: number;
  item: number;
  opened: number;
  edited: number;
}

export interface Usage {
  /** Deeds by item: item i's are from `start[i]` up to `start[i + 1]`. */
  start: Int32Array;
  identity: Int32Array;
  opened: Float64Array;
  edited: Float64Array;
}

/** Who did what, by name: an actor is a user's id or an address. Times in milliseconds since 1970. */
export interface NamedDeed {
  item: string;
  actor: string;
  opened: number | null;
  edited: number | null;
}

/** Deeds by number; what names nobody or nothing that is known is left out. */
export function resolveDeeds(v: View, named: Iterable<NamedDeed>): Deed[] {
  const byAddress = new Map<string, number>(v.outsiders.map((a, i) => [a, v.org.users.length + i]));
  v.org.users.forEach((p, u) => p.addresses.forEach((a) => byAddress.has(a) || byAddress.set(a, u)));
  const deeds: Deed[] = [];
  for (const { item, actor, opened, edited } of named) {
    const user = v.org.find('user', actor);
    const identity = user >= 0 ? user : (byAddress.get(addressName(actor)) ?? -1);
    const number = v.org.find('item', item);
    if (identity >= 0 && number >= 0)
      deeds.push({ item: number, identity, opened: opened ?? NaN, edited: edited ?? NaN });
  }
  return deeds;
}

/** When each identity last opened or edited something, in milliseconds since 1970; 0 where nothing is known. */
export function lastDeeds({ identity, opened, edited }: Usage, identities: number): Float64Array {
  const last = new Float64Array(identities);
  for (let d = 0; d < identity.length; d++)
    last[identity[d]!] = Math.max(last[identity[d]!]!, opened[d]! || 0, edited[d]! || 0);
  return last;
}

export function usageOf(org: Organisation, deeds: readonly Deed[]): Usage {
  const order = listsBy(
    Int32Array.from(deeds, (d) => d.item),
    Int32Array.from(deeds.keys()),
    org.itemIds.length,
  );
  const at = (i: number): Deed => deeds[order.values[i]!]!;
  return {
    start: order.start,
    identity: Int32Array.from(deeds, (_, i) => at(i).identity),
    opened: Float64Array.from(deeds, (_, i) => at(i).opened),
    edited: Float64Array.from(deeds, (_, i) => at(i).edited),
  };
}

/**
 * What each identity did at or below a node since a moment, as the capability bits that it took:
 * opening needs open, editing needs edit. By identity; who did nothing is absent.
 */
export function usedSince(org: Organisation, usage: Usage, node: number, since: number): Map<number, number> {
  const [from, to] = itemsBelow(org, node);
  const used = new Map<number, number>();
  for (let i = usage.start[from]!; i < usage.start[to]!; i++) {
    const bits =
      (usage.opened[i]! >= since ? CAP.open : 0) | (usage.edited[i]! >= since ? CAP.open | CAP.edit : 0);
    if (bits) used.set(usage.identity[i]!, (used.get(usage.identity[i]!) ?? 0) | bits);
  }
  return used;
}

/**
 * Whether a route that gives `bits` is used by somebody who did what took `took`: it would have
 * served. A route that would have served nothing they did is only granted.
 */
export const servesWhat = (bits: number, took: number): boolean =>
  (took & CAP.edit && bits & CAP.edit ? true : false) || (took & CAP.open && bits & CAP.open ? true : false);
