/** Spaces by what happens in them, who owns them and what they are for, as stewards review them. */
import { has } from '../core/access/bits.ts';
import { wholeOf } from '../core/access/parts.ts';
import { ACTIVITY_NAMES, dayIn, type SpaceDay } from '../core/ask/activity.ts';
import type { CharterSettings } from '../core/ask/charter.ts';
import { compileFilter } from '../core/filter/filter.ts';
import { nameOrder } from '../core/name-order.ts';
import { compareBy } from '../core/sorts.ts';
import { once } from '../core/once.ts';
import { dayAt, isoOf } from '../core/time.ts';
import type { SpaceRow, SpacesKey, SpacesQuery, SpacesShown } from '../dto/charters.ts';
import { nodeKey, ownersOfSpace, workspaceName } from './describe.ts';
import { likelyOwnersOf, spacesOf } from './dormant.ts';
import { gettersOf } from './facts.ts';
import { below } from './holdings.ts';
import { spaceOfKey } from './keyed.ts';
import type { Loaded } from './loaded.ts';

function fits(l: Loaded, s: number, { of, show }: SpacesQuery): boolean {
  const row = l.org.spaces[s]!;
  if (show === 'archived') return row.archived === true || row.binned === true;
  if (row.binned) return false;
  const facts = spacesOf(l);
  if (of === 'dormant') return show === 'kept' ? facts.idle(s) && !facts.dormant(s) : facts.dormant(s);
  if (of === 'ownerless') {
    if (row.archived || row.kind === 'personal-drive') return false;
    const active = gettersOf(l).space.activeOwners(s);
    return show === 'few' ? active > 0 && active < facts.leastOwners(s) : active === 0;
  }
  if (row.kind === 'personal-drive') return false;
  if (show === 'none') return !facts.charter(s);
  if (show === 'differs') return facts.differs(s).length > 0;
  return true;
}

/** Spaces by what happens in them, who owns them and what they are for; parts of teams with their team. */
export function spacesShown(l: Loaded, q: SpacesQuery): { rows: SpaceRow[]; total: number; of: number } {
  const { org } = l;
  const b = below(l);
  const facts = spacesOf(l);
  const text = q.text?.toLowerCase();
  const holds = compileFilter(q.where, 'spaces', gettersOf(l).space, l.view.moment);
  const found: number[] = [];
  let of = 0;
  for (let s = 0; s < org.spaces.length; s++) {
    if (!org.spaceListed[s] || b.partOf[s]! >= 0) continue;
    of++;
    if (text && !org.spaces[s]!.name.toLowerCase().includes(text)) continue;
    if (q.kind && org.spaces[s]!.kind !== q.kind) continue;
    if (q.sensitivity && facts.charter(s)?.sensitivity !== q.sensitivity) continue;
    if (fits(l, s, q) && holds(s)) found.push(s);
  }
  const numbers = (of: (s: number) => number) => {
    const known = once(of);
    return (x: number, y: number) => known(x) - known(y);
  };
  const external = (s: number): number => l.columns.guests[s]! + l.columns.outsiders[s]!;
  const byName = (x: number, y: number): number => nameOrder(org.spaces[x]!.name, org.spaces[y]!.name);
  const order = compareBy<SpacesKey, number>(q.sort, {
    name: byName,
    // of which nothing is known lies idle longest
    idle: numbers((s) => (facts.idleDays(s) < 0 ? Number.MAX_SAFE_INTEGER : facts.idleDays(s))),
    weight: numbers((s) => b.weight[s]!),
    files: numbers((s) => b.files[s]!),
    external: numbers(external),
    bytes: numbers((s) => b.bytes[s]!),
  });
  found.sort((x, y) => order(x, y) || byName(x, y) || x - y);
  return {
    rows: found.slice(q.offset, q.offset + q.limit).map((s) => rowOf(l, s, q.of)),
    total: found.length,
    of,
  };
}

const DAY = 86_400_000;
/** Of so many files of a space it is asked what happened with them. */
const MOST_NODES = 5000;

/**
 * A space in full, and what is known by the survey of when things happened in it and in what belongs to it: how many files
 * somebody opened or changed last on each day since a moment. `nodes`: the keys of all of these, of files the first some thousands.
 * Undefined where there is none of the key.
 */
export function spaceActivity(
  l: Loaded,
  key: string,
  days: number,
): { row: SpaceRow; nodes: string[]; from: string; to: string; byDay: SpaceDay[] } | undefined {
  const { org } = l;
  const space = spaceOfKey(l, key);
  if (space < 0) return undefined;
  const since = l.view.moment - days * DAY;
  const byDay = new Map<string, SpaceDay>();
  const at = (ms: number, source: 'opened' | 'changed'): void => {
    if (!(ms >= since && ms <= l.view.moment)) return;
    dayIn(byDay, dayAt(ms))[source]++;
  };
  const all = wholeOf(below(l).parts, space);
  const nodes = all.map((s) => nodeKey(l, s));
  for (const s of all)
    for (let i = org.spaceFirst[s]!; i < org.spaceFirst[s + 1]!; i++) {
      if (nodes.length < MOST_NODES) nodes.push(nodeKey(l, org.spaces.length + i));
      at(l.items.modified[i]!, 'changed');
      for (let d = l.usage.start[i]!; d < l.usage.start[i + 1]!; d++) {
        at(l.usage.opened[d]!, 'opened');
        at(l.usage.edited[d]!, 'changed');
      }
    }
  return {
    row: rowOf(l, space, 'ownerless'),
    nodes,
    from: dayAt(since),
    to: dayAt(l.view.moment),
    byDay: [...byDay.values()],
  };
}

function rowOf(l: Loaded, s: number, of: SpacesShown): SpaceRow {
  const row = l.org.spaces[s]!;
  const b = below(l);
  const facts = spacesOf(l);
  const { bySource, last } = facts.activity();
  const charter = facts.charter(s);
  const { purposes, sensitivities } = l.charters.now;
  const { settings } = facts.settings(s);
  const until = facts.keptUntil(s);
  return {
    key: nodeKey(l, s),
    name: row.name,
    kind: row.kind,
    workspace: workspaceName(l, s),
    parts: b.parts[s]!.map((p) => ({
      key: nodeKey(l, p),
      name: l.org.spaces[p]!.name,
    })),
    owners: ownersOfSpace(l, s).map((u) => ({
      name: l.org.users[u]!.name,
      active: has(l.view.members, u),
    })),
    leastOwners: facts.leastOwners(s),
    idleDays: facts.idleDays(s),
    limit: facts.limit(s),
    last: isoOf(last[s]!),
    bySource: Object.fromEntries(
      ACTIVITY_NAMES.map((n) => [n, isoOf(bySource[n][s]!)]),
    ) as SpaceRow['bySource'],
    created: row.createdAt ?? null,
    files: b.files[s]!,
    bytes: b.bytes[s]!,
    weight: b.weight[s]!,
    external: l.columns.guests[s]! + l.columns.outsiders[s]!,
    archived: row.archived ?? false,
    binned: row.binned ?? false,
    keptUntil: until > 0 ? dayAt(until - DAY) : null,
    charter: charter
      ? {
          ...charter,
          purposeName: purposes.get(charter.purpose)?.name ?? charter.purpose,
          sensitivityName: sensitivities.get(charter.sensitivity)?.name ?? charter.sensitivity,
        }
      : null,
    differs: facts.differs(s).map((name) => ({
      setting: name,
      is: told(row[name as keyof CharterSettings]),
      wanted: told(settings[name as keyof CharterSettings]),
    })),
    likely: of === 'ownerless' ? likelyOwnersOf(l, s) : [],
  };
}

const told = (value: CharterSettings[keyof CharterSettings]): string =>
  Array.isArray(value) ? value.join(', ') : String(value ?? '');
