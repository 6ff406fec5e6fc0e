/** The least cut for many exposed items at size, against taking away greedily what lets in most, and against one reach of everything. */
import { countBoth, has } from '../src/core/access/bits.ts';
import { losersOf } from '../src/core/access/difference.ts';
import { reach } from '../src/core/access/reach.ts';
import { view, type View } from '../src/core/access/view.ts';
import type { ReachColumns } from '../src/core/access/reach.ts';
import type { Candidate, Goal } from '../src/core/remedy/candidate.ts';
import { cutNetwork, cutsOf, type CutNetwork } from '../src/core/remedy/cut.ts';
import { resolveGoal, type KeepOut } from '../src/core/remedy/goal.ts';
import { TIERS } from '../src/core/model.ts';
import { build } from './access.ts';
import { sizeOf } from './organisation.ts';
import { ratio } from './ratios.ts';

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const ITEMS = 2000;

/** Members who lose something that the goal does not ask for. */
function hurt(v: View, columns: ReachColumns, changes: readonly Candidate[]): number {
  const people = losersOf(
    v,
    changes.map((c) => c.change),
    columns,
  );
  return [...people].filter((i) => has(v.members, i)).length;
}

/**
 * What one would do by hand: as long as there is a way in, take away the grant or link by which most of
 * the ways that are left lead, whoever else it serves.
 */
function greedy(n: CutNetwork): Candidate[] {
  const taken = new Set<Candidate>();
  const way = (): Candidate[] | undefined => {
    const capacities = n.network.capacities();
    for (const c of taken) capacities[c.edge] = 0;
    const by = new Map<number, number>([[n.source, -1]]);
    for (const x of by.keys())
      for (const e of n.network.edgesAt(x, true)) {
        const to = n.network.ends(e)[1];
        if (capacities[e]! > 0 && !by.has(to)) by.set(to, e);
      }
    if (!by.has(n.sink)) return undefined;
    const found: Candidate[] = [];
    for (let e = by.get(n.sink)!; e >= 0; e = by.get(n.network.ends(e)[0])!) {
      const c = n.byEdge.get(e);
      if (c) found.push(c);
    }
    return found;
  };
  for (let found = way(); found; found = way()) {
    // of one way the grant or link; by hand nobody looks for what lies behind it
    const entry = found.find((c) => c.kind === 'grant' || c.kind === 'link') ?? found[0];
    if (!entry) break;
    taken.add(entry);
  }
  return [...taken];
}

export function remedy(scale: number): void {
  const org = build(sizeOf(scale));
  const v = view(org);
  const reaching = performance.now();
  const columns = reach(v);
  const reached = performance.now() - reaching;
  const S = org.spaces.length;
  const isFile = new Uint8Array(org.itemIds.length).fill(1);
  const exposed: number[] = [];
  for (let i = 0; i < org.itemIds.length && exposed.length < ITEMS; i += 7)
    if (columns.couldTier[S + i]! >= TIERS.indexOf('partner')) exposed.push(i);
  say(
    `${org.itemIds.length} items, ${org.entries.ids.length} grants and links; ${exposed.length} items that outsiders reach`,
  );
  // the group that takes in most, so that few are beyond it
  const large = org.groups.reduce(
    (most, _, g) =>
      countBoth(v.groupMembers[g]!, v.all) > countBoth(v.groupMembers[most]!, v.all) ? g : most,
    0,
  );
  const goals: [string, KeepOut, number[]][] = [
    ['outsiders', { outside: true }, [20, 200, exposed.length]],
    ['all beyond a group', { beyond: org.groups[large]!.id }, [20, exposed.length]],
    [
      'one member',
      { identity: org.users.find((u, i) => u.active && has(v.members, i))!.id },
      [exposed.length],
    ],
    ['a group', { group: org.groups[large]!.id }, [exposed.length]],
  ];
  for (const [who, keepOut, count] of goals.flatMap(([w, k, counts]) =>
    counts.map((c) => [w, k, c] as const),
  )) {
    const goal: Goal = resolveGoal(v, keepOut, Int32Array.from(exposed.slice(0, count)))!;
    let from = performance.now();
    const n = cutNetwork(v, columns, goal, { isFile });
    const built = performance.now() - from;
    from = performance.now();
    const answer = cutsOf(n);
    const solved = performance.now() - from;
    from = performance.now();
    const losing = answer.met ? answer.cuts.map((c) => hurt(v, columns, c.changes)) : [];
    const told = performance.now() - from;
    ratio(
      `the least cut that keeps ${who} from ${count} of ${org.itemIds.length} items, all told, against one reach of all`,
      built + solved + told,
      reached,
    );
    say(
      `${who}, ${count} items: network of ${n.network.vertices} vertices, ${n.network.edges} edges and ${n.candidates.length} candidates ${built.toFixed(0)} ms; ${answer.met ? answer.cuts.length : 'no'} cuts, tried on every item, ${solved.toFixed(0)} ms; whom they hurt (${losing.join(', ')}) ${told.toFixed(0)} ms`,
    );
    if (!answer.met) say(`  cannot be met: ${answer.prevents.join(' → ')}`);
    if (!answer.met || count > 200 || who !== 'outsiders') continue;
    const ours = answer.cuts[0]!;
    const theirs = greedy(n);
    say(
      `  least cut: ${ours.changes.length} changes, ${hurt(v, columns, ours.changes)} members lose something; one grant after another: ${theirs.length} changes, ${hurt(v, columns, theirs)} members`,
    );
  }
}
