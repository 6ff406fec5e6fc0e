/** A survey's facts as filters and cross-tabulations ask for them; made once for a survey as it is weighed. */
import { setImmediate } from 'node:timers/promises';
import { nodeOfItem } from '../core/access/organisation.ts';
import { lastDeeds } from '../core/access/usage.ts';
import { compileFilter, USUAL_STEPS } from '../core/filter/filter.ts';
import { holdsIn, type HoldingTypes } from '../core/filter/holds.ts';
import { subjectGetters, type Readers } from '../core/guard/subjects.ts';
import type { LinkRow } from '../core/model.ts';
import type { Found } from '../core/recognise/types.ts';
import { momentOf } from '../core/time.ts';
import { appsOf } from './apps.ts';
import { typeName, typesCounting } from './describe.ts';
import { spacesOf } from './dormant.ts';
import { below } from './holdings.ts';
import type { Loaded } from './loaded.ts';

/** Names of the data types that count in an item. */
export const typeNames = (l: Loaded, item: number): string[] =>
  typesCounting(l, item).map((t) => typeName(l, t.id));

/** What can be asked of what files hold. */
export const holdingTypes = ({ types, packs }: Pick<Loaded, 'types' | 'packs'>): HoldingTypes => ({
  from: (type) => types.get(type)?.from,
  pack: (id) => packs.byId.get(id),
});

const made = new WeakMap<Loaded, Readers>();
/** What rules and filters ask of every kind of subject. */
export function gettersOf(l: Loaded): Readers {
  let getters = made.get(l);
  if (!getters) {
    const b = below(l);
    const S = l.org.spaces.length;
    const holding = holdingTypes(l);
    // read once: a condition may ask each file several times
    const held = new Map<number, Pick<Found, 'dataType' | 'levels' | 'inParts'>[]>();
    const foundIn = (i: number) => {
      let found = held.get(i);
      if (!found) {
        found = (l.content(i)?.found ?? []).map(({ dataType, levels, inParts }) => ({
          dataType,
          levels,
          ...(inParts && { inParts }),
        }));
        if (found.length) held.set(i, found);
      }
      return found;
    };
    getters = subjectGetters({
      view: l.view,
      columns: l.columns,
      items: l.items,
      weight: (n) => (n < S ? b.weight[n]! : l.weights[n - S]!),
      exposures: l.exposures,
      types: (i) => typeNames(l, i),
      modified: (n) => (n < S ? b.lastActivity[n]! || NaN : l.items.modified[n - S]!),
      sizeBytes: (n) => b.bytes[n]!,
      holds: (i, asked) => holdsIn(foundIn(i), asked, holding),
      tally: () => l.tally,
      lastDeeds: () => lastDeeds(l.usage, l.view.identityCount),
      spaces: spacesOf(l),
      appList: () => appsOf(l).list,
      letIn: () => appsOf(l).letIn(),
      approval: (app) => l.scopes.approvals.get(app),
      apps: (n) => (n < S ? appsOf(l).inSpace(n) : appsOf(l).reads.many(n - S)),
      entry: {
        madeBy: (e) => l.madeBy[e]!,
        password: (e) => (l.entryRow(e) as LinkRow).password ?? false,
        lastUsed: (e) => momentOf((l.entryRow(e) as LinkRow).lastUsedAt ?? ''),
      },
    });
    made.set(l, getters);
  }
  return getters;
}

/** So many filters of a survey are kept with what fits them. */
const KEPT = 8;
/** Nodes are asked for so long at a stretch. */
const STRETCH_MS = 15;
/** Steps for each node that a filter may take on the average (core/filter). */
const STEPS = 500;
const fitting = new WeakMap<Loaded, { packs: unknown; fits: Map<string, Uint8Array> }>();
/** What is known of filters; nothing once packs have changed, which they may ask for. */
function fitsOf(l: Loaded): Map<string, Uint8Array> {
  const packs = l.packs.byId;
  let known = fitting.get(l);
  if (known?.packs !== packs) fitting.set(l, (known = { packs, fits: new Map() }));
  return known.fits;
}

/**
 * Asks every node of a survey whether it fits a filter, a part at a time, and keeps what fits: `itemTest` looks it
 * up. What is asked meanwhile comes in between. Throws where the signal is aborted, or a FilterError.
 */
export async function askAll(l: Loaded, where: string, signal?: AbortSignal): Promise<void> {
  const known = fitsOf(l);
  if (known.has(where)) return;
  const test = testOf(l, where);
  const nodes = l.org.spaces.length + l.items.length;
  const fits = new Uint8Array(nodes);
  for (let n = 0, until = performance.now() + STRETCH_MS; n < nodes; n++) {
    fits[n] = test(n) ? 1 : 0;
    if (n & 15 || performance.now() < until) continue;
    await setImmediate();
    signal?.throwIfAborted();
    until = performance.now() + STRETCH_MS;
  }
  if (known.size >= KEPT) known.delete(known.keys().next().value!);
  known.set(where, fits);
}

/** Whether a node fits a filter; every node where there is none. */
export function itemTest(l: Loaded, where: string | undefined): (node: number) => boolean {
  const fits = where && fitsOf(l).get(where);
  return fits ? (node) => fits[node] === 1 : testOf(l, where);
}

const testOf = (l: Loaded, where: string | undefined): ((node: number) => boolean) =>
  compileFilter(
    where,
    'items',
    gettersOf(l).item,
    Date.parse(l.takenAt),
    STEPS * (l.org.spaces.length + l.items.length) + USUAL_STEPS,
  );

/** 1 for each item that fits a filter, and lies in a source and a space where they are given. */
export function itemsWhere(
  l: Loaded,
  q: { where?: string | undefined; ws?: string | undefined; space?: string | undefined },
): Uint8Array | undefined {
  if (!q.where && !q.ws && !q.space) return undefined;
  const test = itemTest(l, q.where);
  const only = new Uint8Array(l.items.length);
  for (let s = 0; s < l.org.spaces.length; s++) {
    const row = l.org.spaces[s]!;
    if ((q.ws && !row.id.startsWith(`${q.ws}:`)) || (q.space && row.name !== q.space)) continue;
    for (let i = l.org.spaceFirst[s]!; i < l.org.spaceFirst[s + 1]!; i++)
      only[i] = test(nodeOfItem(l.org, i)) ? 1 : 0;
  }
  return only;
}
