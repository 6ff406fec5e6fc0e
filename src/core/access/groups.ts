/** Groups that hold people and groups, nested and in cycles. */
import { add, bitsFor, countBoth, forEachBoth, union, type Arena, type Bits } from './bits.ts';
import { GrowInt32, listsBy, type Lists } from './growable.ts';
import type { Organisation } from './organisation.ts';

/** A list of the members where that is shorter than the set: a word of the set costs about as much as a member. */
export function listIfSmall(set: Bits): Int32Array | undefined {
  let n = countBoth(set, set);
  if (n > set.length / 12) return undefined;
  const list = new Int32Array(n);
  n = 0;
  forEachBoth(set, set, (i) => (list[n++] = i));
  return list;
}

/**
 * Everybody each group stands for. Groups that contain each other (a cycle) stand for the same
 * people: strongly connected groups are found by Tarjan's algorithm (1972), which yields them
 * members first, so that each set is made from finished ones. Given `known`, the sets it has are kept
 * as they are and only the missing ones are made, in the arena if one is given.
 */
export function closeGroups(
  org: Organisation,
  known: readonly (Bits | undefined)[] = [],
  arena?: Arena,
): Bits[] {
  const { start, values } = org.members;
  const count = org.groups.length;
  const closed = Array.from({ length: count }, (_, g) => known[g]) as Bits[];
  // a group that is known is as good as visited, and is on nobody's stack
  const index = Int32Array.from(closed, (set) => (set ? 0 : -1));
  const low = new Int32Array(count);
  const next = new Int32Array(count);
  const onStack = new Uint8Array(count);
  const stack: number[] = [];
  let visited = 0;
  for (let root = 0; root < count; root++) {
    if (index[root]! >= 0) continue;
    const path = [root];
    while (path.length) {
      const g = path[path.length - 1]!;
      if (index[g]! < 0) {
        index[g] = low[g] = visited++;
        next[g] = start[g]!;
        stack.push(g);
        onStack[g] = 1;
      }
      let deeper = false;
      while (next[g]! < start[g + 1]!) {
        const m = values[next[g]!++]!;
        if (m >= 0) continue;
        if (index[~m]! < 0) {
          path.push(~m);
          deeper = true;
          break;
        }
        if (onStack[~m]) low[g] = Math.min(low[g]!, index[~m]!);
      }
      if (deeper) continue;
      path.pop();
      const above = path[path.length - 1];
      if (above !== undefined) low[above] = Math.min(low[above]!, low[g]!);
      if (low[g] !== index[g]) continue;
      const set = arena?.make(org.users.length) ?? bitsFor(org.users.length);
      let member: number;
      const together: number[] = [];
      do {
        member = stack.pop()!;
        onStack[member] = 0;
        together.push(member);
      } while (member !== g);
      for (const t of together)
        for (const m of values.subarray(start[t], start[t + 1])) {
          if (m < 0) {
            const inner = closed[~m];
            if (inner) union(set, inner);
          } else if (org.users[m]!.active) add(set, m);
        }
      for (const t of together) closed[t] = set;
    }
  }
  return closed;
}

/** By group and by user: the groups that hold it directly. */
interface Holders {
  ofGroup: Lists;
  ofUser: Lists;
}
const holders = new WeakMap<Lists, Holders>();

function holdersIn(org: Organisation): Holders {
  let found = holders.get(org.members);
  if (found) return found;
  const pairs = [0, 1].map(() => ({ held: new GrowInt32(), by: new GrowInt32() }));
  for (let g = 0; g < org.groups.length; g++)
    for (const m of org.members.values.subarray(org.members.start[g], org.members.start[g + 1])) {
      const { held, by } = pairs[m < 0 ? 0 : 1]!;
      held.push(m < 0 ? ~m : m);
      by.push(g);
    }
  const lists = (k: number, count: number) => listsBy(pairs[k]!.held.done(), pairs[k]!.by.done(), count);
  found = { ofGroup: lists(0, org.groups.length), ofUser: lists(1, org.users.length) };
  holders.set(org.members, found);
  return found;
}

/** These groups and every group that holds one of them, however deep. */
export function groupsAbove(org: Organisation, groups: Iterable<number>): Set<number> {
  const { start, values } = holdersIn(org).ofGroup;
  const found = new Set<number>(groups);
  for (const g of found) for (let i = start[g]!; i < start[g + 1]!; i++) found.add(values[i]!);
  return found;
}

/** The groups that take a user in, directly or through others. */
export function groupsOfUser(org: Organisation, user: number): Set<number> {
  return groupsAbove(org, groupsHolding(org, user));
}

/** The groups that a user is a direct member of. */
export function groupsHolding(org: Organisation, user: number): Int32Array {
  const { start, values } = holdersIn(org).ofUser;
  return values.subarray(start[user], start[user + 1]);
}

/** The groups that hold a group directly. */
export function groupsHoldingGroup(org: Organisation, group: number): Int32Array {
  const { start, values } = holdersIn(org).ofGroup;
  return values.subarray(start[group], start[group + 1]);
}
