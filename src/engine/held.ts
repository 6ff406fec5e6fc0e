/** The part of a survey that an account is held to, as a survey of its own: every question about it is asked as of the whole. */
import { partOf, spacesOf } from '../core/access/part.ts';
import { view } from '../core/access/view.ts';
import type { Held } from '../core/access/held.ts';
import type { Usage } from '../core/access/usage.ts';
import { findExposures } from '../core/exposure/find.ts';
import { pickItems } from './items.ts';
import { key } from './keys.ts';
import { tallied, type Loaded } from './loaded.ts';

/** So many parts of one survey are kept. */
const KEPT = 4;
const made = new WeakMap<Loaded, Map<string, Loaded>>();

/** What a survey comes to for an account held to some parts. It is made once, and kept with the survey. */
export function heldTo(l: Loaded, held: readonly Held[]): Loaded {
  const parts = made.get(l) ?? new Map<string, Loaded>();
  made.set(l, parts);
  const name = JSON.stringify(held);
  const part = parts.get(name) ?? partLoaded(l, held);
  // the one that was asked last is the last to go
  parts.delete(name);
  parts.set(name, part);
  if (parts.size > KEPT) parts.delete(parts.keys().next().value!);
  return part;
}

function partLoaded(l: Loaded, held: readonly Held[]): Loaded {
  const { org, items: of, entries } = partOf(l.view, spacesOf(l.org, held), l.madeBy);
  // identities have the numbers that they have in the whole
  const v = view(org, { moment: l.view.moment, settings: l.view.settings });
  const items = pickItems(l.items, of);
  const weights = Uint8Array.from(of, (i) => l.weights[i]!);
  const { tally, columns } = tallied(v, items, weights);
  const groupRules = new Map([...l.groupRules].filter(([id]) => org.find('group', id) >= 0));
  return {
    ...l,
    counts: [],
    org,
    view: v,
    columns,
    items,
    raw: pickItems(l.raw, of),
    entryRow: (e) => l.entryRow(entries[e]!),
    madeBy: entries.map((e) => l.madeBy[e]!),
    groupRules,
    // of what access does not rest on, apps are told of as far as they reach in here
    kept: new Map((['app', 'appGrant'] as const).map((kind) => [kind, l.kept.get(kind) ?? new Map()])),
    content: (i) => l.content(of[i]!),
    weights,
    tally,
    exposures: findExposures(v, columns, weights),
    usage: usageIn(l.usage, of),
  };
}

function usageIn(usage: Usage, items: Int32Array): Usage {
  const start = new Int32Array(items.length + 1);
  const deeds: number[] = [];
  items.forEach((i, k) => {
    for (let d = usage.start[i]!; d < usage.start[i + 1]!; d++) deeds.push(d);
    start[k + 1] = deeds.length;
  });
  return {
    start,
    identity: Int32Array.from(deeds, (d) => usage.identity[d]!),
    opened: Float64Array.from(deeds, (d) => usage.opened[d]!),
    edited: Float64Array.from(deeds, (d) => usage.edited[d]!),
  };
}

/** What a change was of, as it was before. */
export interface Touched {
  source: string;
  kind: string;
  object: string;
  before: object;
}

/** Whether what a change was of is in a survey: itself or, where it is gone, what it was on. */
export function touchesInside({ org }: Loaded, { source, kind, object, before }: Touched): boolean {
  const is = (of: 'space' | 'item', id: string): boolean => org.find(of, key(source, id)) >= 0;
  if (kind === 'space' || kind === 'item') return is(kind, object);
  const { on } = before as { on?: { space?: string; item?: string } };
  return on?.space !== undefined ? is('space', on.space) : on?.item !== undefined && is('item', on.item);
}
