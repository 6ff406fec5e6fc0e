/** What became of plans, asked of a survey after they were carried out. */
import { letInAgain } from './apps.ts';
import { nodeOfItem } from '../core/access/organisation.ts';
import { sameJson } from '../core/equal.ts';
import type { GrantRow, LinkRow } from '../core/model.ts';
import { hasFields, memberOf, type PlannedChange } from '../core/remedy/plan.ts';
import { entryRef, nameOfUser, sentence } from './describe.ts';
import { key } from './keys.ts';
import type { Loaded } from './loaded.ts';
import { coreOf } from './planned.ts';

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
export function cameBack(
  l: Loaded,
  { change: c, before, since }: Done,
): { by: string | null; words: string } | null {
  const { org, ids } = l;
  const id = key(c.source, c.id);
  if (c.kind === 'grant' || c.kind === 'link') {
    const same = org.find(c.kind, id);
    if (c.set) return same < 0 || hasFields(l.entryRow(same), coreSet(l, c)) ? null : made(l, same);
    if (same >= 0) return made(l, same);
    const was = before as GrantRow | LinkRow;
    const item = 'item' in was.on ? org.find('item', key(c.source, was.on.item)) : -1;
    const node =
      'item' in was.on
        ? item < 0
          ? -1
          : nodeOfItem(org, item)
        : org.find('space', key(c.source, was.on.space));
    if (node < 0) return null;
    for (let e = org.entries.first[node]!; e < org.entries.first[node + 1]!; e++) {
      if (!(org.entries.made[e]! > since)) continue;
      const row = l.entryRow(e);
      if (
        'audience' in row
          ? 'audience' in was && row.audience === was.audience
          : 'to' in was && sameJson(row.to, ids.principal(c.source, was.to))
      )
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
  if (c.kind === 'appGrant') return letInAgain(l, { source: c.source, before, since });
  const item = c.kind === 'item' ? org.find('item', id) : -1;
  const row =
    c.kind === 'space'
      ? org.spaces[org.find('space', id)]
      : c.kind === 'item'
        ? item >= 0 && l.items.row(item)
        : org.users[org.find('user', ids.user(c.source, c.id))];
  return !row || hasFields(row, coreSet(l, c)) ? null : { by: null, words: 'is set otherwise again' };
}

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
