/** What filters can ask of spaces, folders and files, from columns: only what a filter uses is worked out. */
import { BREAKS, nodeOfItem, parentNode, spaceOfNode } from '../access/organisation.ts';
import { reachOf, type ReachColumns } from '../access/reach.ts';
import type { View } from '../access/view.ts';
import { SEVERITIES } from '../exposure/exposure.ts';
import type { ItemExposure } from '../exposure/find.ts';
import type { Getters } from './filter.ts';
import type { Holding } from './holds.ts';

export interface ItemFacts {
  view: View;
  columns: ReachColumns;
  /** By number of the item. */
  items: {
    name(item: number): string;
    label(item: number): string | undefined;
    mime(item: number): string | undefined;
    /** 1 for a file. */
    isFile: Uint8Array;
  };
  /** Of a node: the heaviest of it or below it, for a space. */
  weight(node: number): number;
  exposures: readonly ItemExposure[];
  /** Names of the data types that count in an item. */
  types(item: number): readonly string[];
  /** Whether a file holds what is asked. */
  holds(item: number, asked: Holding): boolean;
  /** How many apps could read a node, or something in a space. */
  apps(node: number): number;
  /** In milliseconds since 1970; NaN where unknown. */
  modified(node: number): number;
  sizeBytes(node: number): number;
}

const NOTHING: readonly string[] = [];

/** Reads the fields of `FIELDS.items` of a node by its number. */
export function itemGetters(f: ItemFacts): Getters<number, 'items'> {
  const { view: v, columns } = f;
  const { org } = v;
  const S = org.spaces.length;
  const exposed = new Map(f.exposures.map((e) => [nodeOfItem(org, e.item), e]));
  const domains = new Map<number, readonly string[]>();
  const workspaces = new Map(org.workspaces.map((w) => [w.id, w.name]));
  const spaceRow = (n: number) => org.spaces[spaceOfNode(org, n)]!;
  const name = (n: number): string => (n < S ? org.spaces[n]!.name : f.items.name(n - S));
  const path = (n: number): string => {
    const names: string[] = [];
    for (let at = parentNode(org, n); at >= 0; at = parentNode(org, at)) names.unshift(name(at));
    return names.join(' › ');
  };
  return {
    text: (n) => `${name(n)} ${path(n)}`.toLowerCase(),
    name,
    path,
    kind: (n) => (n < S ? 'space' : f.items.isFile[n - S] ? 'file' : 'folder'),
    workspace: (n) => workspaces.get(spaceRow(n).workspace) ?? '',
    space: (n) => spaceRow(n).name,
    spaceKind: (n) => spaceRow(n).kind,
    owner: (n) => {
      const owner = n < S ? org.find('user', spaceRow(n).owners?.[0] ?? '') : org.itemOwner[n - S]!;
      return owner < 0 ? '' : org.users[owner]!.name;
    },
    label: (n) => (n < S ? org.spaces[n]!.label : f.items.label(n - S)) ?? '',
    mime: (n) => (n < S ? '' : (f.items.mime(n - S) ?? '')),
    sizeBytes: (n) => f.sizeBytes(n),
    weight: (n) => f.weight(n),
    now: (n) => columns.nowTier[n]!,
    could: (n) => columns.couldTier[n]!,
    points: (n) => exposed.get(n)?.points ?? 0,
    severity: (n) => {
      const e = exposed.get(n);
      return e ? SEVERITIES.indexOf(e.severity) : -1;
    },
    exposed: (n) => exposed.has(n),
    types: (n) => (n < S ? NOTHING : f.types(n - S)),
    // granted to anyone at all, every known domain reaches it, and naming them tells nothing
    domains: (n) => {
      if (columns.anyone[n]! & 1) return NOTHING;
      if (columns.ownerAdds[n]) return reachOf(v, columns, n).now.domains;
      const cls = columns.accessClass[n]!;
      let known = domains.get(cls);
      if (!known) domains.set(cls, (known = reachOf(v, columns, n).now.domains));
      return known;
    },
    members: (n) => columns.members[n]!,
    external: (n) => columns.guests[n]! + columns.outsiders[n]!,
    apps: (n) => f.apps(n),
    inherits: (n) => n < S || !(org.itemBreaks[n - S]! & BREAKS),
    modified: (n) => f.modified(n),
    holds: (n, asked) => n >= S && f.items.isFile[n - S] === 1 && f.holds(n - S, asked),
  };
}
