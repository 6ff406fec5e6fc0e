/** What changed between two surveys: what got brighter or darker, who gained and lost, and why. */
import { compare, type Cause, type NodeChange } from '../core/access/compare.ts';
import { findIdentity } from '../core/access/view.ts';
import { compileFilter, type Getters } from '../core/filter/filter.ts';
import { TIERS } from '../core/model.ts';
import { byCode, compareBy, type Sort } from '../core/sorts.ts';
import type { ChangeDossier, ChangeRow, ChangesPage, EntryRef, PersonRef } from '../dto/access.ts';
import {
  entryRef,
  nodeKey,
  nodeKind,
  nodeName,
  pathOf,
  personRef,
  sentence,
  whereWords,
} from './describe.ts';
import { below } from './holdings.ts';
import { alikeIn, type Loaded } from './loaded.ts';

export interface ChangesQuery {
  /** A condition over `FIELDS.changes`. */
  where?: string | undefined;
  change?: string | undefined;
  text?: string | undefined;
  kind?: 'space' | 'item' | undefined;
  source?: string | undefined;
  /** Only what came by this cause, in its words. */
  by?: string | undefined;
  sort: readonly Sort<'reach' | 'weight' | 'gained' | 'lost' | 'name'>[];
  limit: number;
  offset: number;
}

/** The last comparison is kept: a steward pages through it. */
let last: { from: Loaded; to: Loaded; changes: NodeChange[] } | undefined;

function between(from: Loaded, to: Loaded): NodeChange[] {
  if (last?.from !== from || last.to !== to) {
    const [a, b] = [from, to].map((l) => ({ view: l.view, columns: l.columns })) as [
      { view: Loaded['view']; columns: Loaded['columns'] },
      { view: Loaded['view']; columns: Loaded['columns'] },
    ];
    const alike = alikeIn(from, to);
    last = { from, to, changes: [...compare(a, b, 'spaces', alike), ...compare(a, b, 'items', alike)] };
  }
  return last.changes;
}

const side = (from: Loaded, to: Loaded, c: NodeChange): [Loaded, number] =>
  c.after >= 0 ? [to, c.after] : [from, c.before];

/** The entry of a cause, as the survey that still has it tells it. */
function entryOf(from: Loaded, to: Loaded, cause: Cause): EntryRef | undefined {
  if (cause.what !== 'grant' && cause.what !== 'link' && cause.what !== 'people') return undefined;
  for (const l of cause.how === 'removed' ? [from, to] : [to, from])
    for (const kind of cause.what === 'people' ? (['grant', 'link'] as const) : [cause.what]) {
      const e = l.org.find(kind, cause.id);
      if (e >= 0) return entryRef(l, e);
    }
  return undefined;
}

function causeWords(from: Loaded, to: Loaded, cause: Cause): string {
  const entry = entryOf(from, to, cause);
  const name = (id: string): string => {
    for (const l of [to, from]) {
      const s = l.org.find('space', id);
      if (s >= 0) return l.org.spaces[s]!.name;
      const i = l.org.find('item', id);
      if (i >= 0) return l.items.name(i);
    }
    return id;
  };
  if (entry && cause.what !== 'people') {
    const before = cause.how === 'altered' ? from.org.find(entry.kind, cause.id) : -1;
    const was = before >= 0 ? entryRef(from, before) : undefined;
    const how =
      cause.how === 'added'
        ? 'new'
        : cause.how === 'removed'
          ? 'gone or expired'
          : was && was.role !== entry.role
            ? `was ${was.role}`
            : was?.audience !== entry.audience
              ? `was for ${was?.audience ?? 'nobody'}`
              : 'other people named, or followed';
    return `${sentence(entry)}: ${how}`;
  }
  if (cause.what === 'people')
    return `other people behind the ${entry ? sentence(entry) : 'entry'}: membership changed`;
  if (cause.what === 'visibility')
    return `visibility of “${name(cause.id)}” for the whole organisation: ${{ added: 'new', removed: 'gone', altered: 'other role' }[cause.how]}`;
  if (cause.what === 'ownership') return `another owner of “${name(cause.id)}”`;
  if (cause.what === 'place') return `“${name(cause.id)}” moved, or inherits otherwise`;
  if (cause.what === 'members')
    return `the organisation has ${to.view.memberCount} members, ${from.view.memberCount} before: the same people are another part of it`;
  return `settings of “${name(cause.id)}” (external sharing, gate, editors’ sharing)`;
}

function rowOf(from: Loaded, to: Loaded, c: NodeChange): ChangeRow {
  const [l, node] = side(from, to, c);
  return {
    key: nodeKey(l, node),
    kind: nodeKind(l, node),
    name: nodeName(l, node),
    path: whereWords(l, node),
    change: c.change,
    weight: below(l).weight[node]!,
    before: c.tiers.before,
    after: c.tiers.after,
    gained: c.gained.length,
    lost: c.lost.length,
    by: c.by[0]
      ? causeWords(from, to, c.by[0]) + (c.by.length > 1 ? ` and ${c.by.length - 1} more` : '')
      : 'nothing that applies to it',
  };
}

const step = (t: ChangeRow['before']): number => (t ? TIERS.indexOf(t.could) * 10 + TIERS.indexOf(t.now) : 0);
const rise = (c: NodeChange): number => step(c.tiers.after) - step(c.tiers.before);

export function changes(from: Loaded, to: Loaded, q: ChangesQuery): ChangesPage {
  const all = between(from, to);
  const counts = { brighter: 0, darker: 0, added: 0, removed: 0, same: 0 };
  const causes = new Map<string, { cause: Cause; count: number }>();
  for (const c of all) {
    counts[c.change]++;
    for (const cause of c.by) {
      const id = `${cause.what} ${cause.id} ${cause.how}`;
      const at = causes.get(id) ?? causes.set(id, { cause, count: 0 }).get(id)!;
      at.count++;
    }
  }
  const text = q.text?.toLowerCase();
  const fields: Getters<NodeChange, 'changes'> = {
    text: (c) => `${nodeName(...side(from, to, c))} ${whereWords(...side(from, to, c))}`.toLowerCase(),
    name: (c) => nodeName(...side(from, to, c)),
    path: (c) => whereWords(...side(from, to, c)),
    kind: (c) => nodeKind(...side(from, to, c)),
    change: (c) => c.change,
    weight: (c) => {
      const [l, node] = side(from, to, c);
      return below(l).weight[node]!;
    },
    before: (c) => (c.tiers.before ? TIERS.indexOf(c.tiers.before.could) : -1),
    after: (c) => (c.tiers.after ? TIERS.indexOf(c.tiers.after.could) : -1),
    gained: (c) => c.gained.length,
    lost: (c) => c.lost.length,
    by: (c) => (c.by[0] ? causeWords(from, to, c.by[0]) : ''),
  };
  const test = compileFilter(q.where, 'changes', fields, Date.parse(to.takenAt));
  const fitting = all.filter((c) => {
    const [l, node] = side(from, to, c);
    if (q.change && c.change !== q.change) return false;
    if (q.kind && (q.kind === 'space') !== node < l.org.spaces.length) return false;
    if (q.source && nodeKey(l, node).split(':')[1] !== q.source) return false;
    if (q.by && !c.by.some((cause) => causeWords(from, to, cause) === q.by)) return false;
    if (!test(c)) return false;
    return (
      !text ||
      `${nodeName(l, node)} ${pathOf(l, node)
        .map((p) => p.name)
        .join(' ')}`
        .toLowerCase()
        .includes(text)
    );
  });
  const name = (c: NodeChange): string => nodeName(...side(from, to, c));
  const weight = (c: NodeChange): number => {
    const [l, node] = side(from, to, c);
    return below(l).weight[node]!;
  };
  const byName = (a: NodeChange, b: NodeChange): number => byCode(name(a), name(b));
  const order = compareBy(q.sort, {
    reach: (a: NodeChange, b: NodeChange) => rise(a) - rise(b),
    weight: (a, b) => weight(a) - weight(b),
    gained: (a, b) => a.gained.length - b.gained.length,
    lost: (a, b) => a.lost.length - b.lost.length,
    name: byName,
  });
  fitting.sort((a, b) => order(a, b) || weight(b) - weight(a) || byName(a, b));
  return {
    from: { survey: from.survey, takenAt: from.takenAt },
    to: { survey: to.survey, takenAt: to.takenAt },
    rows: fitting.slice(q.offset, q.offset + q.limit).map((c) => rowOf(from, to, c)),
    total: fitting.length,
    counts,
    causes: [...causes.values()]
      .sort((a, b) => b.count - a.count)
      .slice(0, 12)
      .map(({ cause, count }) => ({ words: causeWords(from, to, cause), count })),
  };
}

const NAMED = 200;

export function changeDossier(from: Loaded, to: Loaded, key: string): ChangeDossier | undefined {
  const c = between(from, to).find((x) => nodeKey(...side(from, to, x)) === key);
  if (!c) return undefined;
  const person = (l: Loaded, other: Loaded, name: string): PersonRef => {
    for (const x of [l, other]) {
      const i = findIdentity(x.view, name);
      if (i >= 0) return personRef(x, i);
    }
    return { id: name, name, address: name, kind: 'outsider' };
  };
  return {
    row: rowOf(from, to, c),
    gained: c.gained.slice(0, NAMED).map((n) => person(to, from, n)),
    lost: c.lost.slice(0, NAMED).map((n) => person(from, to, n)),
    by: c.by.map((cause) => {
      const entry = entryOf(from, to, cause);
      return { words: causeWords(from, to, cause), ...(entry && cause.how !== 'removed' && { entry }) };
    }),
  };
}
