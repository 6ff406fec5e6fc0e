/** Every route to a node in one drawing: shared segments merged, and what cutting each would cost. */
import { bitsFor, countBoth, forEachBoth, has, intersect, union } from '../core/access/bits.ts';
import { groupsHolding } from '../core/access/groups.ts';
import { PRINCIPAL, spaceOfNode } from '../core/access/organisation.ts';
import { free, givenTo, isInert, nodesDown, unionsOf, type Source } from '../core/access/questions.ts';
import { reachesPastBreaks } from '../core/access/reach.ts';
import { servesWhat, usedSince } from '../core/access/usage.ts';
import type { RouteGraph } from '../dto/access.ts';
import { readsFor } from './apps.ts';
import { entryRef, findNode, nodeRef, personRef, sourcesOf, workspaceName } from './describe.ts';
import { usedFrom } from './holdings.ts';
import type { Loaded } from './loaded.ts';

/** Beyond these the drawing would not be read any more: the largest are drawn and the rest counted. */
const MOST_BUNDLES = 40;
const MOST_NAMED = 40;

/** People with the very same routes: they stand and fall together. */
interface Bundle {
  people: number[];
  /** Sources that name them without a group, and the groups they are direct members of. */
  sources: number[];
  groups: number[];
}

/**
 * What is drawn as one: a bundle, or several of which each is let in by grants of its own that are alike. `routes`:
 * the sources that stand in one place.
 */
interface Drawn {
  bundles: Bundle[];
  people: number[];
  routes: number[][];
  groups: number[];
}

/** Every route to a node; or those by which an app reads it for whoever let it in. */
export function routeGraph(l: Loaded, name: string, app?: string): RouteGraph | undefined {
  const node = findNode(l, name);
  const reads = app === undefined || node < 0 ? undefined : readsFor(l, app, node);
  if (node < 0 || (app !== undefined && !reads)) return undefined;
  if (reads?.all) return readsAll(l, node, reads.app.name);
  const { view: v, org } = l;
  const { entries } = org;
  const space = spaceOfNode(org, node);
  const { allowed } = v.spaces[space]!;
  const list = sourcesOf(l, node).filter((s) => !isInert(v, s, space));

  // the groups that are granted something, and all that they hold
  const grantedBy = new Map<number, number[]>();
  list.forEach((s, k) => {
    if (typeof s.entry !== 'number' || entries.type[s.entry]! > 1) return;
    for (let i = entries.toKind.start[s.entry]!; i < entries.toKind.start[s.entry + 1]!; i++)
      if (entries.toKind.values[i] === PRINCIPAL.group)
        (
          grantedBy.get(entries.toNumber.values[i]!) ??
          grantedBy.set(entries.toNumber.values[i]!, []).get(entries.toNumber.values[i]!)!
        ).push(k);
  });
  const inPlay = new Set(grantedBy.keys());
  const holders = new Map<number, number[]>();
  for (const g of inPlay)
    for (const m of org.members.values.subarray(org.members.start[g], org.members.start[g + 1]))
      if (m < 0) {
        inPlay.add(~m);
        (holders.get(~m) ?? holders.set(~m, []).get(~m)!).push(g);
      }

  const everybody = bitsFor(v.identityCount);
  const unions = unionsOf(v, list, space);
  for (const set of unions.sets) union(everybody, set);
  free(v, unions);
  intersect(everybody, allowed);
  const bundles = new Map<string, Bundle>();
  let people = 0;
  forEachBoth(everybody, everybody, (identity) => {
    if (reads && !reads.people.has(identity) && !(reads.everyone && identity < org.users.length)) return;
    people++;
    const groups =
      identity < org.users.length
        ? [...new Set(groupsHolding(org, identity))].filter((g) => inPlay.has(g))
        : [];
    const sources = list.flatMap((s, k) => (givesWithoutGroup(l, s, space, identity) ? [k] : []));
    const kind = has(v.members, identity) ? 'm' : 'x';
    const id = `${kind}|${sources.join()}|${groups.sort((a, b) => a - b).join()}`;
    const b = bundles.get(id) ?? bundles.set(id, { people: [], sources, groups }).get(id)!;
    b.people.push(identity);
  });

  type Cut = { group?: number; held?: number; sources?: readonly number[]; below?: number; bundle?: Drawn };
  /** The sources a bundle still has, with one segment cut. */
  const sourcesLeft = (b: Bundle, cut: Cut): Set<number> => {
    const found = new Set(b.sources);
    const seen = new Set(b.groups.filter((g) => !(cut.bundle?.bundles.includes(b) && cut.group === g)));
    for (const g of seen) {
      for (const k of grantedBy.get(g) ?? []) found.add(k);
      for (const h of holders.get(g) ?? []) if (!(cut.group === h && cut.held === g)) seen.add(h);
    }
    for (const k of cut.sources ?? []) found.delete(k);
    if (cut.below !== undefined)
      for (const k of found) {
        const s = list[k]!;
        const stays = s.steps <= cut.below || (typeof s.entry === 'number' && reachesPastBreaks(v, s.entry));
        if (!stays) found.delete(k);
      }
    return found;
  };
  const lost = (cut: Cut): number => {
    let n = 0;
    for (const b of bundles.values()) if (sourcesLeft(b, cut).size === 0) n += b.people.length;
    return n;
  };

  const took = usedSince(org, l.usage, node, usedFrom(l));
  const usedBy = new Map<Bundle, Set<number>>();
  for (const b of bundles.values()) {
    const used = new Set<number>();
    for (const k of sourcesLeft(b, {}))
      for (const i of b.people) {
        const bits = took.get(i);
        if (bits && servesWhat(givenTo(v, list[k]!, space, i), bits)) used.add(k);
      }
    usedBy.set(b, used);
  }
  const anyUses = (k: number): boolean => [...usedBy.values()].some((u) => u.has(k));
  const leadsTo = (g: number): Set<number> => sourcesLeft({ people: [], sources: [], groups: [g] }, {});

  const order = gathered(l, list, [...bundles.values()]).sort((a, b) => {
    const outside = (x: Drawn) => (has(v.members, x.people[0]!) ? 0 : 1);
    return outside(b) - outside(a) || b.people.length - a.people.length;
  });
  const drawn = order.slice(0, MOST_BUNDLES);
  const left = order.slice(MOST_BUNDLES);

  const graph: RouteGraph = {
    nodes: [],
    edges: [],
    people,
    left: { bundles: left.length, people: left.reduce((n, b) => n + b.people.length, 0) },
  };
  const seenGroups = new Set<number>();
  /** The sources that stand in each place that is drawn, by the first of them. */
  const seenSources = new Map<number, number[]>();
  const sees = (ks: number[]): void => void (seenSources.has(ks[0]!) || seenSources.set(ks[0]!, ks));
  const uses = (d: Drawn, ks: readonly number[]): boolean =>
    d.bundles.some((b) => ks.some((k) => usedBy.get(b)!.has(k)));
  drawn.forEach((b, n) => {
    const named = b.people.slice(0, MOST_NAMED).map((i) => personRef(l, i));
    const outside = named[0]!.kind !== 'member';
    const label =
      b.people.length === 1
        ? outside
          ? named[0]!.address
          : named[0]!.name
        : `${b.people.length} ${outside ? 'outside' : 'members'}`;
    graph.nodes.push({
      id: `w${n}`,
      column: 'who',
      label,
      ...(b.people.length > 1 && {
        detail: `${named
          .slice(0, 2)
          .map((p) => (outside ? p.address : p.name))
          .join(', ')}${b.people.length > 2 ? ' …' : ''}`,
      }),
      people: named,
      count: b.people.length,
      outside,
      used: b.bundles.some((x) => usedBy.get(x)!.size > 0),
    });
    for (const ks of b.routes) {
      sees(ks);
      graph.edges.push({ from: `w${n}`, to: `s${ks[0]}`, used: uses(b, ks) });
    }
    for (const g of b.groups) {
      seenGroups.add(g);
      graph.edges.push({
        from: `w${n}`,
        to: `g${g}`,
        cut: lost({ bundle: b, group: g }),
        used: uses(b, [...leadsTo(g)]),
      });
    }
  });
  for (const g of seenGroups) {
    graph.nodes.push({
      id: `g${g}`,
      column: 'group',
      label: org.groups[g]!.name,
      detail: `${countBoth(v.groupMembers[g]!, v.groupMembers[g]!)} people`,
      used: [...leadsTo(g)].some(anyUses),
    });
    for (const h of holders.get(g) ?? []) {
      seenGroups.add(h);
      graph.edges.push({
        from: `g${g}`,
        to: `g${h}`,
        cut: lost({ group: h, held: g }),
        used: [...leadsTo(g)].some(anyUses),
      });
    }
    for (const k of grantedBy.get(g) ?? []) {
      sees([k]);
      graph.edges.push({ from: `g${g}`, to: `s${k}`, used: anyUses(k) });
    }
  }
  if (reads) {
    graph.nodes.push({
      id: 'app',
      column: 'app',
      label: reads.app.name,
      detail: reads.everyone ? 'let in for everyone' : 'app',
    });
    drawn.forEach((b, n) =>
      graph.edges.push({ from: 'app', to: `w${n}`, used: b.bundles.some((x) => usedBy.get(x)!.size > 0) }),
    );
  }
  // what nobody has followed yet could still be followed
  list.forEach((s, k) => {
    if (reads) return;
    const type = typeof s.entry === 'number' ? entries.type[s.entry]! : 0;
    if (type < 2) return;
    sees([k]);
    graph.nodes.push({
      id: `c${k}`,
      column: 'who',
      label: type === 3 ? 'Anybody at all' : 'Every member',
      detail: 'who gets the link',
      outside: type === 3,
    });
    graph.edges.push({ from: `c${k}`, to: `s${k}`, used: false, could: true });
  });
  for (const [k, ks] of seenSources) {
    const s = list[k]!;
    const of = ks.flatMap((each) => {
      const { entry } = list[each]!;
      return typeof entry === 'number' ? entryRef(l, entry) : [];
    });
    const entry = of[0];
    graph.nodes.push({
      id: `s${k}`,
      column: 'entry',
      label: entry
        ? `${ks.length > 1 ? 'each by a ' : ''}${entry.kind === 'link' ? `link (${entry.audience})` : 'grant'}: ${entry.role}`
        : s.entry === 'visibility'
          ? 'visible to all'
          : 'owns it',
      ...(entry && ks.length > 1
        ? { detail: `${ks.length} ${entry.kind}s` }
        : entry?.madeBy && { detail: `by ${entry.madeBy}` }),
      ...(entry && { entries: of }),
      used: ks.some(anyUses),
    });
    graph.edges.push({
      from: `s${k}`,
      to: `n${s.at}`,
      ...(entry && { cut: lost({ sources: ks }) }),
      used: ks.some(anyUses),
    });
  }
  // the longest of them holds the others
  const steps = Math.max(1, ...[...seenSources.keys()].map((k) => list[k]!.steps));
  const chain = nodesDown(org, { node, steps });
  const breakable = org.breakable[space] === 1;
  chain.forEach((n, at) => {
    graph.nodes.push({
      id: `n${n}`,
      column: 'node',
      label: nodeRef(l, n).name,
      detail: nodeRef(l, n).kind,
      node: nodeRef(l, n),
    });
    if (at + 1 < chain.length)
      graph.edges.push({
        from: `n${n}`,
        to: `n${chain[at + 1]}`,
        ...(breakable && { cut: lost({ below: chain.length - 1 - at }) }),
        used: list.some((s, k) => s.steps >= chain.length - at && anyUses(k)),
      });
  });
  return graph;
}

/** An app that reads all that there is in a workspace reads a node whoever could open it. */
function readsAll(l: Loaded, node: number, app: string): RouteGraph {
  const of = nodeRef(l, node);
  return {
    nodes: [
      { id: 'app', column: 'app', label: app, detail: 'let in for everyone' },
      {
        id: 'all',
        column: 'entry',
        label: 'reads all files',
        detail: workspaceName(l, spaceOfNode(l.org, node)),
        used: true,
      },
      { id: 'n', column: 'node', label: of.name, detail: of.kind, node: of },
    ],
    edges: [
      { from: 'app', to: 'all', used: true },
      { from: 'all', to: 'n', used: true },
    ],
    people: 0,
    left: { bundles: 0, people: 0 },
  };
}

/** Bundles that differ only in which grants of their own let them in, put together. */
function gathered(l: Loaded, list: readonly Source[], bundles: readonly Bundle[]): Drawn[] {
  const { entries } = l.org;
  const holders = new Map<number, number>();
  for (const k of bundles.flatMap((b) => b.sources)) holders.set(k, (holders.get(k) ?? 0) + 1);
  /** What a source of one bundle alone is like; undefined of any other. */
  const like = (k: number): string | undefined => {
    const { entry, at } = list[k]!;
    if (typeof entry !== 'number' || entries.type[entry]! > 1 || holders.get(k) !== 1) return undefined;
    return `${at} ${entries.type[entry]} ${entryRef(l, entry).role}`;
  };
  const found = new Map<string, Drawn>();
  for (const b of bundles) {
    const likes = b.sources.map((k): [string | undefined, number] => [like(k), k]);
    const alone = b.groups.length > 0 || likes.some(([of]) => of === undefined);
    const sorted = alone ? b.sources : likes.sort((x, y) => (x[0]! < y[0]! ? -1 : 1)).map(([, k]) => k);
    const side = has(l.view.members, b.people[0]!) ? 'inside' : 'outside';
    const id = alone ? `alone ${found.size}` : `${side}|${likes.map(([of]) => of).join('|')}`;
    const known = found.get(id);
    if (known) {
      known.bundles.push(b);
      known.people.push(...b.people);
      sorted.forEach((k, at) => known.routes[at]!.push(k));
    } else
      found.set(id, {
        bundles: [b],
        people: [...b.people],
        routes: sorted.map((k) => [k]),
        groups: b.groups,
      });
  }
  return [...found.values()];
}

/** Whether a source gives an identity something other than by a group. */
function givesWithoutGroup(l: Loaded, s: Source, space: number, identity: number): boolean {
  const { view: v, org } = l;
  if (typeof s.entry !== 'number' || org.entries.type[s.entry]! > 1)
    return givenTo(v, s, space, identity) > 0;
  const { toKind, toNumber } = org.entries;
  for (let i = toKind.start[s.entry]!; i < toKind.start[s.entry + 1]!; i++) {
    const kind = toKind.values[i]!;
    const n = toNumber.values[i]!;
    if (kind === PRINCIPAL.user && n === identity) return true;
    if (kind === PRINCIPAL.address && v.identityOfAddress[n] === identity) return true;
    if (kind === PRINCIPAL.everyone && has(v.members, identity)) return true;
    if (kind === PRINCIPAL.anyone) return true;
    if (kind === PRINCIPAL.domain && v.domainMembers[n]!.includes(identity)) return true;
  }
  return false;
}
