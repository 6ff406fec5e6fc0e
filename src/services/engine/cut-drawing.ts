/** The ways in that a cut closes, as a drawing: who, by which groups, by which grants and links, to what. */
import { findIdentity } from '../../core/access/view.ts';
import type { Candidate, CutNetwork } from '../../core/remedy/cut.ts';
import type { RouteGraph } from '../dto.ts';
import { entryRef, nodeName, personRef } from './describe.ts';
import type { Loaded } from './loaded.ts';

/** So many bundles of a kind are drawn; the others are told as a number. */
const MOST = 12;
const NAMED = 40;

type Column = RouteGraph['nodes'][number]['column'];

/** Draws what leads from who is kept out to what is kept; what the cut goes through is struck. */
export function cutDrawing(l: Loaded, n: CutNetwork, cut: readonly Candidate[]): RouteGraph {
  const struck = new Set(cut.map((c) => c.edge));
  const out = new Map<string, Map<string, boolean>>();
  const into = new Map<string, Set<string>>();
  const struckNames = new Set<string>();
  const nameOf = (v: number): string => (v === n.source ? 'anybody' : n.names.get(v)!);
  for (let e = 0; e < n.network.edges; e++) {
    const [a, b] = n.network.ends(e).map(nameOf) as [string, string];
    if (a === b) {
      if (struck.has(e)) struckNames.add(a);
      continue;
    }
    // everybody is led to from the one source: it is a way in itself only where nobody is named
    if (a === 'anybody' && (b.startsWith('identity ') || b.startsWith('group '))) continue;
    const to = out.get(a) ?? out.set(a, new Map()).get(a)!;
    to.set(b, (to.get(b) ?? false) || struck.has(e));
    (into.get(b) ?? into.set(b, new Set()).get(b)!).add(a);
  }
  const columnOf = (name: string): Column =>
    name === 'anybody' || name.startsWith('identity ')
      ? 'who'
      : name.startsWith('group ')
        ? 'group'
        : name.startsWith('grant ') || name.startsWith('link ') || name.startsWith('visibility ')
          ? 'entry'
          : 'node';
  const graph: RouteGraph = { nodes: [], edges: [], people: 0, left: { bundles: 0, people: 0 } };
  const drawn = new Set<string>();
  const goal = nameOf(n.sink);

  // identities that come the same ways are one bundle; so are things that are come to the same ways
  const bundles = (column: Column, of: (name: string) => string): Map<string, string[]> => {
    const found = new Map<string, string[]>();
    for (const name of new Set([...out.keys(), ...into.keys()])) {
      if (columnOf(name) !== column || name === goal || name.startsWith('sharing ')) continue;
      const key = of(name);
      found.set(key, [...(found.get(key) ?? []), name]);
    }
    return new Map([...found].sort((a, b) => b[1].length - a[1].length));
  };
  const idOf = new Map<string, string>();
  const take = (list: Map<string, string[]>, make: (names: string[]) => Omit<RouteGraph['nodes'][number], 'id'>): void => {
    let k = 0;
    for (const names of list.values()) {
      if (k++ >= MOST) {
        graph.left.bundles++;
        graph.left.people += names.length;
        continue;
      }
      const id = names[0]!;
      drawn.add(id);
      for (const name of names) idOf.set(name, id);
      graph.nodes.push({ id, ...make(names), ...(names.some((x) => struckNames.has(x)) && { struck: true }) });
    }
  };
  const edgesKey = (name: string): string =>
    [...(out.get(name) ?? [])].map(([to, s]) => `${to}${s ? '!' : ''}`).sort().join('|');
  take(bundles('who', (name) => (name === 'anybody' ? name : edgesKey(name))), (names) => {
    if (names[0] === 'anybody') return { column: 'who', label: 'Anybody with the link', outside: true };
    const people = names.flatMap((name) => {
      const i = findIdentity(l.view, name.slice('identity '.length));
      return i < 0 ? [] : [personRef(l, i)];
    });
    graph.people += names.length;
    return {
      column: 'who',
      label: names.length === 1 ? (people[0]?.address ?? names[0]!) : `${names.length} who come the same ways`,
      ...(people[0] && names.length === 1 && { detail: people[0].kind }),
      people: people.slice(0, NAMED),
      count: names.length,
      outside: people.some((p) => p.kind !== 'member'),
    };
  });
  take(bundles('group', (name) => name), ([name]) => {
    const g = l.org.groups[l.org.find('group', name!.slice('group '.length))];
    return { column: 'group', label: g?.name ?? name!, detail: 'group' };
  });
  // entries that let the same in to the same things are one bundle too, unless the cut goes through them
  take(
    bundles('entry', (name) => (struckNames.has(name) ? name : `${[...(into.get(name) ?? [])].sort().join('|')}>${edgesKey(name)}`)),
    (names) => {
      const [kind, id] = [names[0]!.slice(0, names[0]!.indexOf(' ')), names[0]!.slice(names[0]!.indexOf(' ') + 1)];
      const e = kind === 'grant' || kind === 'link' ? l.org.find(kind, id) : -1;
      if (e < 0) return { column: 'entry', label: 'visible to everybody', detail: 'space' };
      const entry = entryRef(l, e);
      return {
        column: 'entry',
        label: names.length > 1 ? `${names.length} ${kind}s` : `${kind}: ${entry.role}`,
        detail: names.length > 1 ? `such as to ${entry.to}` : `to ${entry.to}`,
        ...(names.length === 1 && { entry }),
      };
    },
  );
  const sharing = (name: string): boolean =>
    [...(out.get(name) ?? [])].some(([to]) => to.startsWith('sharing ') && struckNames.has(to)) ||
    [...(out.get(name) ?? [])].some(([to]) => to.startsWith('sharing ') && [...(out.get(to) ?? [])].some(([, s]) => s));
  take(
    bundles('node', (name) => {
      const last = [...(out.get(name) ?? [])].every(([to]) => to.startsWith('sharing '));
      return last ? [...(into.get(name) ?? [])].map((a) => `${a}${out.get(a)!.get(name) ? '!' : ''}`).sort().join('|') : name;
    }),
    (names) => {
      const label = (name: string): string => {
        const [kind, id] = [name.slice(0, name.indexOf(' ')), name.slice(name.indexOf(' ') + 1)];
        const at = l.org.find(kind as 'item' | 'space', id);
        return at < 0 ? id : nodeName(l, kind === 'space' ? at : l.org.spaces.length + at);
      };
      const kept = names.every((name) => [...(out.get(name) ?? [])].some(([to]) => to.startsWith('sharing ')));
      return {
        column: 'node',
        label: names.length === 1 ? label(names[0]!) : `${names.length} things`,
        detail: kept ? (names.some(sharing) ? 'kept: outside sharing cut' : 'what is kept') : names[0]!.startsWith('space') ? 'space' : 'folder',
        ...(names.some(sharing) && { struck: true }),
      };
    },
  );
  for (const [a, to] of out)
    for (const [b, isStruck] of to) {
      const [from, end] = [idOf.get(a), idOf.get(b)];
      if (!from || !end || from === end || !drawn.has(from) || !drawn.has(end)) continue;
      const known = graph.edges.find((x) => x.from === from && x.to === end);
      if (known) known.struck ||= isStruck;
      else graph.edges.push({ from, to: end, used: true, ...(isStruck && { struck: true }) });
    }
  return graph;
} // prettier-ignore
