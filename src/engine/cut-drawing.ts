/** The ways in that a cut closes, as a drawing: who, by which groups, by which grants and links, to what. */
import { findIdentity } from '../core/access/view.ts';
import type { Candidate } from '../core/remedy/candidate.ts';
import type { CutNetwork } from '../core/remedy/cut.ts';
import type { RouteGraph } from '../dto/access.ts';
import { entryRef, nodeKind, nodeName, personRef } from './describe.ts';
import type { Loaded } from './loaded.ts';

/** So many ways are drawn; the others are told as a number. */
const MOST = 14;
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
  const goal = nameOf(n.sink);
  const leads = (name: string): [string, boolean][] => [...(out.get(name) ?? [])];
  const names = [...new Set([...out.keys(), ...into.keys()])].filter((x) => x !== goal);
  const idOf = new Map<string, string>();
  const put = (members: string[], node: Omit<RouteGraph['nodes'][number], 'id'>): void => {
    for (const x of members) idOf.set(x, members[0]!);
    graph.nodes.push({
      id: members[0]!,
      ...node,
      ...(members.some((x) => struckNames.has(x)) && { struck: true }),
    });
  };
  const bundled = (list: string[], of: (name: string) => string): string[][] => {
    const found = new Map<string, string[]>();
    for (const x of list) {
      const key = of(x);
      const known = found.get(key);
      if (known) known.push(x);
      else found.set(key, [x]);
    }
    return [...found.values()];
  };

  // what is kept is told of the thing on which a grant or link is made: what lies below it, and whether it is cut there
  const below = (place: string): { kept: number; struck: boolean } => {
    let kept = 0;
    let cutBelow = false;
    const seen = new Set([place]);
    for (const x of seen)
      for (const [to, s] of leads(x)) {
        if (s) cutBelow = true;
        if (!to.startsWith('sharing ')) seen.add(to);
        else {
          kept++;
          if (struckNames.has(to) || leads(to).some(([, cutHere]) => cutHere)) cutBelow = true;
        }
      }
    return { kept, struck: cutBelow };
  };
  const placesOf = (entry: string): string[] => leads(entry).map(([to]) => to);

  // entries that let the same in to the same things are one, unless the cut goes through them; those it goes through first
  const entries = bundled(
    names.filter((x) => columnOf(x) === 'entry'),
    (x) =>
      struckNames.has(x) ? x : `${[...(into.get(x) ?? [])].sort().join('|')}>${placesOf(x).sort().join('|')}`,
  ).sort((a, b) => Number(struckNames.has(b[0]!)) - Number(struckNames.has(a[0]!)) || b.length - a.length);
  for (const members of entries.slice(0, MOST)) {
    const [kind, id] = split(members[0]!);
    const e = kind === 'grant' || kind === 'link' ? l.org.find(kind, id) : -1;
    if (e < 0) put(members, { column: 'entry', label: 'visible to everybody', detail: 'the space' });
    else {
      const entry = entryRef(l, e);
      const many = members.length > 1;
      put(members, {
        column: 'entry',
        label: many ? `${members.length} ${kind}s` : `${kind}: ${entry.role}`,
        detail: `${many ? 'such as ' : ''}to ${entry.to}`,
        ...(!many && { entries: [entry] }),
      });
    }
  }
  graph.left.bundles = Math.max(0, entries.length - MOST);
  const drawnEntries = [...idOf.keys()];
  for (const place of new Set(drawnEntries.flatMap(placesOf))) {
    const [kind, id] = split(place);
    const at = l.org.find(kind as 'item' | 'space', id);
    const node = kind === 'space' ? at : l.org.spaces.length + at;
    const { kept, struck: cutBelow } = below(place);
    put([place], {
      column: 'node',
      label: at < 0 ? id : nodeName(l, node),
      detail: `${at < 0 ? kind : nodeKind(l, node)}${cutBelow ? ', cut here' : ''}${kept > 1 ? `, ${kept} kept` : ''}`,
      ...(cutBelow && { struck: true }),
    });
  }
  // groups and people that lead to what is drawn
  const toward = new Set(drawnEntries);
  for (const x of toward) for (const from of into.get(x) ?? []) toward.add(from);
  for (const x of names)
    if (columnOf(x) === 'group' && toward.has(x)) {
      const [, id] = split(x);
      put([x], {
        column: 'group',
        label: l.org.groups[l.org.find('group', id)]?.name ?? id,
        detail: 'group',
      });
    }
  for (const members of bundled(
    names.filter((x) => columnOf(x) === 'who' && toward.has(x)),
    (x) =>
      x === 'anybody'
        ? x
        : leads(x)
            .map(([to, s]) => `${to}${s ? '!' : ''}`)
            .sort()
            .join('|'),
  )) {
    if (members[0] === 'anybody') {
      put(members, { column: 'who', label: 'Anybody with the link', outside: true });
      continue;
    }
    const people = members.flatMap((x) => {
      const i = findIdentity(l.view, split(x)[1]);
      return i < 0 ? [] : [personRef(l, i)];
    });
    graph.people += members.length;
    put(members, {
      column: 'who',
      label: members.length === 1 ? (people[0]?.address ?? members[0]!) : `${members.length} the same ways`,
      ...(people[0] && { detail: members.length === 1 ? people[0].kind : `such as ${people[0].address}` }),
      people: people.slice(0, NAMED),
      count: members.length,
      outside: people.some((p) => p.kind !== 'member'),
    });
  }
  for (const [a, to] of out)
    for (const [b, isStruck] of to) {
      const [from, end] = [idOf.get(a), idOf.get(b)];
      if (!from || !end || from === end) continue;
      const known = graph.edges.find((x) => x.from === from && x.to === end);
      if (known) known.struck ||= isStruck;
      // between things on which grants are made nothing is drawn: they stand for what is below them
      else if (columnOf(a) !== 'node')
        graph.edges.push({ from, to: end, used: true, ...(isStruck && { struck: true }) });
    }
  return graph;
}

const split = (name: string): [kind: string, id: string] => {
  const at = name.indexOf(' ');
  return [name.slice(0, at), name.slice(at + 1)];
};
