/** What is in quarantine, and what else a plan asks of a survey after it was carried out. */
import { alter, type Change } from '../core/access/change.ts';
import { HELD_ITSELF, nodeOfItem } from '../core/access/organisation.ts';
import { reach } from '../core/access/reach.ts';
import { sameJson } from '../core/equal.ts';
import { TIERS, type GrantRow, type LinkRow } from '../core/model.ts';
import { hasFields, memberOf, type PlannedChange } from '../core/remedy/plan.ts';
import type { HeldRow } from '../dto/remedy.ts';
import { entryRef, nameOfUser, nodeKey, nodeName, sentence, workspaceName } from './describe.ts';
import { key, unkey, type Loaded } from './loaded.ts';
import { coreOf } from './planned.ts';

/** Everything in quarantine, and how far it would be reached if it were released. */
export function held(l: Loaded): Omit<HeldRow, 'plan'>[] {
  const { org } = l;
  const items: number[] = [];
  org.itemBreaks.forEach((b, i) => {
    if (b & HELD_ITSELF) items.push(i);
  });
  const changes = items.map((i): Change => ({ item: org.itemIds.at(i), set: { held: null } }));
  const columns = reach(
    alter(l.view, changes).view,
    Int32Array.from(items, (i) => nodeOfItem(org, i)),
  );
  return items.map((i) => {
    const node = nodeOfItem(org, i);
    const row = l.items[i]!;
    let files = 0;
    let weight = 0;
    for (let k = i; k < org.itemEnd[i]!; k++) {
      if (l.items[k]!.kind === 'file') files++;
      weight = Math.max(weight, l.weights[k]!);
    }
    const { source, id } = unkey(org.itemIds.at(i));
    return {
      key: nodeKey(l, node),
      source,
      item: id,
      name: row.name,
      kind: row.kind,
      space: nodeName(l, org.itemSpace[i]!),
      workspace: workspaceName(l, org.itemSpace[i]!),
      weight,
      files,
      ...(row.owner && { owner: nameOfUser(l, row.owner) }),
      back: {
        now: TIERS[columns.nowTier[node]!]!,
        could: TIERS[columns.couldTier[node]!]!,
        people: columns.members[node]! + columns.guests[node]! + columns.outsiders[node]!,
      },
    };
  });
}

/** Points of some items together. */
export function pointsOf(l: Loaded, items: readonly { source: string; item: string }[]): number {
  const wanted = new Set(items.map((i) => l.org.find('item', key(i.source, i.item))));
  return l.exposures.reduce((n, e) => n + (wanted.has(e.item) ? e.points : 0), 0);
}

/** A change that a plan made, with what it was made to, and when (milliseconds). */
export interface Done {
  change: PlannedChange;
  before: object;
  since: number;
}

/**
 * Who brought back what a plan had changed, and as what; null where it still is as the plan left it. A grant
 * that is made anew to the same on the same thing is the same grant, and a link of the same audience the
 * same link.
 */
export function cameBack(l: Loaded, { change: c, before, since }: Done): { by: string | null; words: string } | null {
  const { org, ids } = l;
  const id = key(c.source, c.id);
  if (c.kind === 'grant' || c.kind === 'link') {
    const same = org.find(c.kind, id);
    if (c.set) return same < 0 || hasFields(l.entryRow(same), coreSet(l, c)) ? null : made(l, same);
    if (same >= 0) return made(l, same);
    const was = before as GrantRow | LinkRow;
    const item = 'item' in was.on ? org.find('item', key(c.source, was.on.item)) : -1;
    const node = 'item' in was.on ? (item < 0 ? -1 : nodeOfItem(org, item)) : org.find('space', key(c.source, was.on.space));
    if (node < 0) return null;
    for (let e = org.entries.first[node]!; e < org.entries.first[node + 1]!; e++) {
      if (!(org.entries.made[e]! > since)) continue;
      const row = l.entryRow(e);
      if ('audience' in row ? 'audience' in was && row.audience === was.audience : 'to' in was && sameJson(row.to, ids.principal(c.source, was.to)))
        return made(l, e);
    }
    return null;
  }
  if (c.kind === 'member') {
    const [group, value] = memberOf(c.id);
    const g = org.find('group', ids.group(c.source, group));
    if (g < 0) return null;
    const user = org.find('user', ids.user(c.source, value));
    const inner = org.find('group', ids.group(c.source, value));
    for (let k = org.members.start[g]!; k < org.members.start[g + 1]!; k++)
      if (org.members.values[k] === user || (inner >= 0 && org.members.values[k] === ~inner))
        return { by: null, words: `is in the group “${org.groups[g]!.name}” again` };
    return null;
  }
  const row =
    c.kind === 'space'
      ? org.spaces[org.find('space', id)]
      : c.kind === 'item'
        ? l.items[org.find('item', id)]
        : org.users[org.find('user', ids.user(c.source, c.id))];
  return !row || hasFields(row, coreSet(l, c)) ? null : { by: null, words: 'is set otherwise again' };
} // prettier-ignore

/** What a change sets, by the names that the rows here have. */
function coreSet(l: Loaded, c: PlannedChange): object {
  const core = coreOf(l, c);
  return core && 'set' in core ? (core.set ?? {}) : {};
}

function made(l: Loaded, e: number): { by: string | null; words: string } {
  const row = l.entryRow(e);
  const by = 'createdBy' in row ? row.createdBy : 'grantedBy' in row ? row.grantedBy : undefined;
  return { by: by ? nameOfUser(l, by) : null, words: sentence(entryRef(l, e)) };
}
