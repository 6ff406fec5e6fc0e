/** Cross-tabulations of a survey: its dimensions from columns, the table, and the rows behind a cell. */
import { Interner } from '../core/access/growable.ts';
import { nodeOfItem } from '../core/access/organisation.ts';
import { crosstab, DistinctLists, itemsOfCell, sharesOf, type Dimension } from '../core/exposure/crosstab.ts';
import type { CrossInput, CrossTab, Measure, Shares } from '../core/exposure/tab.ts';
import { namedBy } from '../core/exposure/holders.ts';
import { AUDIENCES, ROLES, SPACE_KINDS, TIERS } from '../core/model.ts';
import type { CrossCell, CrossFile, CrossPage, DimensionName } from '../dto/exposure.ts';
import { appsOf } from './apps.ts';
import { nameOfUser, nodeKey, whereWords } from './describe.ts';
import { itemsWhere, typeNames } from './facts.ts';
import { topSpace } from '../core/access/parts.ts';
import { below } from './holdings.ts';
import { pointsByItem, type Loaded } from './loaded.ts';
import { unkey } from './keys.ts';
import { domainsNamed } from './outside.ts';

export interface CrossQuery {
  by: DimensionName[];
  measures: Measure[];
  where?: string | undefined;
  ws?: string | undefined;
  space?: string | undefined;
}

const DAY = 86_400_000;
const AGES: [string, number][] = [
  ['under 30 days', 30],
  ['30 to 90 days', 90],
  ['90 days to a year', 365],
  ['1 to 3 years', 3 * 365],
  ['over 3 years', Infinity],
];
const USES: [string, number][] = [
  ['in the last 30 days', 30],
  ['30 to 90 days ago', 90],
  ['90 days to a year ago', 365],
  ['over a year ago', Infinity],
];
const NOT_SHARED = 'not shared';
const NO_APP = 'no app';
/** So many apps are told apart, the riskiest. */
const MOST_APPS = 100;

interface Made {
  input: CrossInput;
  dimensions: Map<DimensionName, Dimension>;
  last?: { key: string; tab: CrossTab };
}
const made = new WeakMap<Loaded, Made>();

function madeOf(l: Loaded): Made {
  let m = made.get(l);
  if (!m) {
    m = {
      input: {
        view: l.view,
        columns: l.columns,
        shares: sharesOf(l.view, l.columns),
        isFile: l.items.isFile,
        bytes: l.items.bytes.map((n) => n || 0),
        points: pointsByItem(l),
      },
      dimensions: new Map(),
    };
    made.set(l, m);
  }
  return m;
}

export const sharesIn = (l: Loaded): Shares => madeOf(l).input.shares;

const numbering = (known: readonly string[] = []): Interner => {
  const values = new Interner();
  known.forEach((k) => values.of(k));
  return values;
};

function ofItems(l: Loaded, known: readonly string[], value: (item: number) => string): Dimension {
  const values = numbering(known);
  const one = new Int32Array(l.items.length);
  for (let i = 0; i < one.length; i++) one[i] = values.of(value(i));
  return { of: 'item', values: values.names, one };
}

/**
 * `values`: those there are, beside that nothing is shared. `entry`: the place among them of a grant's or link's;
 * `visible`: of that of a space's visibility, by the space.
 */
function ofShares(
  l: Loaded,
  values: readonly string[],
  entry: (e: number) => number,
  visible: (space: number) => number,
): Dimension {
  const E = l.org.entries.ids.length;
  const S = l.org.spaces.length;
  const one = new Int32Array(E + S + 1);
  for (let e = 0; e < E; e++) if (l.view.live[e]) one[e] = entry(e);
  for (let s = 0; s < S; s++) if (l.org.spaces[s]!.visibility === 'organisation') one[E + s] = visible(s);
  one[E + S] = values.length;
  return { of: 'share', values: [...values, NOT_SHARED], one };
}

/** Which of the buckets a moment falls in; the place after them where there is none. */
const bucket = (since: number, moment: number, of: [string, number][]): number =>
  since > 0 ? of.findIndex(([, days]) => moment - since < days * DAY) : of.length;

const MAKE: Record<DimensionName, (l: Loaded) => Dimension> = {
  level: (l) => {
    const S = l.org.spaces.length;
    return ofShares(
      l,
      ['space', 'folder', 'file'],
      (e) => {
        const node = l.org.entries.node[e]!;
        return node < S ? 0 : l.items.isFile[node - S] ? 2 : 1;
      },
      () => 0,
    );
  },
  role: (l) =>
    ofShares(
      l,
      ROLES,
      (e) => l.org.entries.role[e]!,
      (s) => ROLES.indexOf(l.org.spaces[s]!.visibilityRole ?? 'reader'),
    ),
  audience: (l) => {
    const values = ['grant', ...AUDIENCES.map((a) => `link: ${a}`), 'visible to all'];
    return ofShares(
      l,
      values,
      (e) => l.org.entries.type[e]!,
      () => values.length - 1,
    );
  },
  label: (l) => ofItems(l, [], (i) => l.items.label(i) ?? 'no label'),
  type: (l) => {
    const values = numbering();
    const lists = new DistinctLists();
    const nothing = lists.of([values.of('nothing that counts')]);
    const of = Int32Array.from({ length: l.items.length }, (_, i) => {
      const types = typeNames(l, i);
      return types.length ? lists.of(types.map((t) => values.of(t))) : nothing;
    });
    return { of: 'item', values: values.names, many: { lists: lists.lists, of } };
  },
  weight: (l) => ({ of: 'item', values: ['0', '1', '2', '3', '4'], one: Int32Array.from(l.weights) }),
  reach: (l) => {
    const S = l.org.spaces.length;
    return { of: 'item', values: TIERS, one: Int32Array.from(l.columns.couldTier.subarray(S)) };
  },
  workspace: (l) => {
    const names = new Map(l.org.workspaces.map((w) => [w.id, w.name]));
    return ofItems(l, [], (i) => names.get(l.org.spaces[l.org.itemSpace[i]!]!.workspace) ?? 'unknown');
  },
  'space-kind': (l) => {
    const { partOf } = below(l);
    const kinds = l.org.spaces.map((_, s) => l.org.spaces[topSpace(partOf, s)]!.kind);
    return ofItems(l, SPACE_KINDS, (i) => kinds[l.org.itemSpace[i]!]!);
  },
  department: (l) => {
    const values = numbering(['unknown']);
    const departments = l.org.users.map((u) => values.of(u.department ?? 'unknown'));
    return ofShares(
      l,
      values.names,
      (e) => departments[l.madeBy[e]!] ?? 0,
      () => 0,
    );
  },
  domain: (l) => {
    const E = l.org.entries.ids.length;
    const S = l.org.spaces.length;
    const { list, ofGroup, byGroup, direct } = domainsNamed(l);
    const values = numbering([...list.map((d) => d.row.domain), 'nobody outside', NOT_SHARED]);
    const lists = new DistinctLists();
    const of = new Int32Array(E + S + 1).fill(lists.of([list.length]));
    of[E + S] = lists.of([list.length + 1]);
    ofGroup.forEach((domains, g) => {
      if (!domains.length) return;
      const number = lists.of(domains);
      for (let k = byGroup.start[g]!; k < byGroup.start[g + 1]!; k++) of[byGroup.values[k]!] = number;
    });
    // most name somebody of one domain: those of several are put together
    const several = new Map<number, number[]>();
    const first = new Int32Array(E).fill(-1);
    list.forEach(({ number }) => {
      const alone = lists.of([number]);
      for (let k = direct.start[number]!; k < direct.start[number + 1]!; k++) {
        const e = direct.values[k]!;
        if (first[e]! < 0) {
          first[e] = number;
          of[e] = alone;
        } else several.set(e, [...(several.get(e) ?? [first[e]!]), number]);
      }
    });
    for (const [e, domains] of several) of[e] = lists.of(domains);
    return { of: 'share', values: values.names, many: { lists: lists.lists, of } };
  },
  app: (l) => {
    const { list, reads } = appsOf(l);
    const readers = list.filter((a) => a.reading.items).sort((a, b) => b.risk.points - a.risk.points);
    const values = numbering([NO_APP]);
    // one name may be of several apps
    const named = new Map(
      readers.slice(0, MOST_APPS).map(({ row }) => [row.key, values.of(`${row.name} (${row.workspace})`)]),
    );
    const others = readers.length > MOST_APPS ? values.of('another app') : -1;
    const lists = new DistinctLists();
    const nothing = lists.of([0]);
    const of = reads.byItem((ids) =>
      ids.length ? lists.of([...new Set(ids.map((id) => named.get(id) ?? others))]) : nothing,
    );
    return { of: 'item', values: values.names, many: { lists: lists.lists, of: Int32Array.from(of) } };
  },
  age: (l) => {
    const moment = Date.parse(l.takenAt);
    const values = [...AGES.map(([n]) => n), 'unknown'];
    return ofShares(
      l,
      values,
      (e) => bucket(l.org.entries.made[e]!, moment, AGES),
      () => AGES.length,
    );
  },
  used: (l) => {
    const moment = Date.parse(l.takenAt);
    const { start, opened, edited } = l.usage;
    const names = [...USES.map(([n]) => n), 'not that is known'];
    return ofItems(l, names, (i) => {
      let last = 0;
      for (let k = start[i]!; k < start[i + 1]!; k++) last = Math.max(last, opened[k]! || 0, edited[k]! || 0);
      return names[bucket(last, moment, USES)]!;
    });
  },
};

function dimension(l: Loaded, name: DimensionName): Dimension {
  const { dimensions } = madeOf(l);
  let d = dimensions.get(name);
  if (!d) dimensions.set(name, (d = MAKE[name](l)));
  return d;
}

/** What every cross-tabulation of a survey rests on, a part at a time. */
export function* crossAhead(l: Loaded): Generator<void> {
  yield void namedBy(l.view, sharesIn(l));
  // what apps read is worked out when somebody asks
  for (const name of Object.keys(MAKE) as DimensionName[]) if (name !== 'app') yield void dimension(l, name);
}

/** Makes a wide table: the room it takes is kept, and the system takes long to give it the first time. */
export function takeRoom(l: Loaded): void {
  try {
    tabOf(l, { by: ['domain', 'label', 'role'], measures: ['people'] });
  } catch (e) {
    // too wide for anybody
    if (!(e instanceof RangeError)) throw e;
  }
}

function tabOf(l: Loaded, q: CrossQuery): CrossTab {
  const m = madeOf(l);
  const key = JSON.stringify(q);
  if (m.last?.key !== key)
    m.last = {
      key,
      tab: crosstab(
        m.input,
        q.by.map((b) => dimension(l, b)),
        q.measures,
        itemsWhere(l, q),
      ),
    };
  return m.last.tab;
}

/** The table with its totals: values that nothing falls into are left out. */
export function crossPage(l: Loaded, q: CrossQuery): CrossPage {
  const tab = tabOf(l, q);
  const dims = q.by.map((b) => dimension(l, b));
  const { sizes } = tab;
  const index = (at: readonly number[]): number => at.reduce((c, x, k) => c * (sizes[k]! + 1) + x, 0);
  const all = sizes.map((s) => s);
  const first = q.measures[0]!;
  const order = (k: number): number[] => {
    const total = (v: number): number => tab.cells[first][index(all.map((s, j) => (j === k ? v : s)))]!;
    const some = (v: number): boolean =>
      q.measures.some((m) => tab.cells[m][index(all.map((s, j) => (j === k ? v : s)))]! > 0);
    const values = dims[k]!.values.map((_, v) => v).filter(some);
    const none = (v: number): number => (NONE.has(dims[k]!.values[v]!) ? 1 : 0);
    return ORDERED.has(q.by[k]!)
      ? values
      : values.sort((a, b) => none(a) - none(b) || total(b) - total(a) || a - b);
  };
  const kept = sizes.map((_, k) => order(k));
  const cells: CrossCell[] = [];
  const walk = (k: number, at: number[]): void => {
    if (k === sizes.length) {
      const c = index(at);
      if (!q.measures.some((m) => tab.cells[m][c])) return;
      cells.push({
        at: at.map((v, j) => (v === sizes[j] ? null : kept[j]!.indexOf(v))),
        values: q.measures.map((m) => tab.cells[m][c]!),
      });
      return;
    }
    for (const v of [...kept[k]!, sizes[k]!]) walk(k + 1, [...at, v]);
  };
  walk(0, []);
  return {
    by: q.by,
    measures: q.measures,
    values: kept.map((list, k) => list.map((v) => dims[k]!.values[v]!)),
    cells,
    overlaps: dims.map((d) => d.of === 'share' || d.many !== undefined),
    survey: l.survey,
    takenAt: l.takenAt,
  };
}

/** Values that say that there is none of the kind: they stand last. */
const NONE = new Set([NOT_SHARED, 'no label', 'nothing that counts', 'nobody outside', 'unknown']);
/** Dimensions whose values have an order of their own. */
const ORDERED = new Set<DimensionName>(['level', 'role', 'audience', 'weight', 'reach', 'age', 'used']);

/** The items of a cell, named by its values; null where a dimension is its total. The brightest first. */
export function crossItems(
  l: Loaded,
  q: CrossQuery,
  cell: readonly (string | null)[],
  page: { limit: number; offset: number },
): { rows: CrossFile[]; total: number } {
  const tab = tabOf(l, q);
  const at = q.by.map((b, k) => (cell[k] === null ? undefined : dimension(l, b).values.indexOf(cell[k]!)));
  if (at.some((x) => x === -1)) return { rows: [], total: 0 };
  const { points } = madeOf(l).input;
  const items = itemsOfCell(tab, at);
  items.sort((a, b) => points[b]! - points[a]! || l.weights[b]! - l.weights[a]! || a - b);
  return {
    total: items.length,
    rows: items.slice(page.offset, page.offset + page.limit).map((i) => {
      const node = nodeOfItem(l.org, i);
      const { source, id } = unkey(l.org.itemIds.at(i));
      const row = l.items.row(i);
      return {
        key: nodeKey(l, node),
        source,
        item: id,
        kind: row.kind,
        name: row.name,
        path: whereWords(l, node),
        ...(row.owner && { owner: nameOfUser(l, row.owner) }),
        types: typeNames(l, i),
        weight: l.weights[i]!,
        now: TIERS[l.columns.nowTier[node]!]!,
        could: TIERS[l.columns.couldTier[node]!]!,
        points: points[i]!,
        bytes: row.bytes ?? 0,
      };
    }),
  };
}
