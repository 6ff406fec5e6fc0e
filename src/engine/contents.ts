/** What files hold: data types by workspace and reach, the files behind each number, and what was not read. */
import { nodeOfItem } from '../core/access/organisation.ts';
import { compileFilter, type Getters } from '../core/filter/filter.ts';
import { TIERS, type Tier } from '../core/model.ts';
import { bandOf, PRESETS, type Preset } from '../core/recognise/threshold.ts';
import { atLeast, type Found, type Level } from '../core/recognise/types.ts';
import { byCode, compareBy, type Sort } from '../core/sorts.ts';
import type { ContentFile, ContentRow, ContentsPage, UnreadFile } from '../dto/contents.ts';
import type { TypeSample, TypeUse } from '../dto/recognition.ts';
import { nameOfUser, nodeKey, pathOf, typeName, workspaceName, whereWords } from './describe.ts';
import { unkey } from './keys.ts';
import type { Loaded } from './loaded.ts';

export interface ContentsQuery {
  /** These data types alone. */
  types?: string[] | undefined;
  /** Of one workspace's source. */
  ws?: string | undefined;
  /** From this certainty on, instead of what is set for each data type. */
  certainty?: number | undefined;
  /** Only in files that a condition over `FIELDS['content-files']` and a text fit. */
  where?: string | undefined;
  text?: string | undefined;
  /** A row for each workspace. */
  byWorkspace: boolean;
}
export interface FilesQuery {
  /** A condition over `FIELDS['content-files']`. */
  where?: string | undefined;
  types?: string[] | undefined;
  ws?: string | undefined;
  certainty?: number | undefined;
  tier?: Tier | undefined;
  text?: string | undefined;
  sort: readonly Sort<'occurrences' | 'certainty' | 'reach' | 'name' | 'weight'>[];
  limit: number;
  offset: number;
}

/** What was found, file by file and type by type; made once for a survey. */
interface Finds {
  item: Int32Array;
  found: Found[];
  /** Files that were not read whole, or not at all though they may hold text. */
  unread: number[];
  /** Files that were scanned, by source. */
  scanned: Map<string, number>;
}
const made = new WeakMap<Loaded['content'], Finds>();

/** What was found in the files of a survey. */
export function finds(l: Loaded): Finds {
  const known = made.get(l.content);
  if (known) return known;
  const item: number[] = [];
  const found: Found[] = [];
  const unread: number[] = [];
  const scanned = new Map<string, number>();
  for (let i = 0; i < l.items.length; i++) {
    const doc = l.content(i);
    if (!doc) continue;
    if (doc.reason) unread.push(i);
    if (doc.state === 'scanned') scanned.set(sourceOf(l, i), (scanned.get(sourceOf(l, i)) ?? 0) + 1);
    for (const f of doc.found) {
      item.push(i);
      found.push(f);
    }
  }
  const f = { item: Int32Array.from(item), found, unread, scanned };
  made.set(l.content, f);
  return f;
}

const couldTier = (l: Loaded, item: number): number => l.columns.couldTier[nodeOfItem(l.org, item)]!;
const sourceOf = (l: Loaded, item: number): string => unkey(l.org.itemIds.at(item)).source;

/** Files that can be reached from outside, or could, by source: as many as are worth telling. */
export function bright(l: Loaded): Record<string, string[]> {
  const out: Record<string, string[]> = {};
  for (let i = 0, told = 0; i < l.items.length && told < 100_000; i++) {
    if (!l.items.isFile[i] || couldTier(l, i) < TIERS.indexOf('partner')) continue;
    const { source, id } = unkey(l.org.itemIds.at(i));
    (out[source] ??= []).push(id);
    told++;
  }
  return out;
}

/** The finds that count. */
function* counting(
  l: Loaded,
  q: Pick<ContentsQuery, 'types' | 'ws' | 'certainty'>,
): Generator<{ item: number; found: Found; occurrences: number; distinct: number }> {
  const { item, found } = finds(l);
  const wanted = q.types && new Set(q.types);
  for (let k = 0; k < found.length; k++) {
    const f = found[k]!;
    if (wanted && !wanted.has(f.dataType)) continue;
    const counts = atLeast(f.levels, q.certainty ?? l.types.get(f.dataType)?.from ?? PRESETS.balanced);
    if (!counts.occurrences) continue;
    if (q.ws && sourceOf(l, item[k]!) !== q.ws) continue;
    yield { item: item[k]!, found: f, ...counts };
  }
}

export function contents(l: Loaded, q: ContentsQuery): ContentsPage {
  const rows = new Map<string, ContentRow & { owned: Set<number> }>();
  const files = new Set<number>();
  const fit = q.where || q.text ? new Set(filesThat(l, q).map(([item]) => item)) : undefined;
  for (const { item, found, occurrences } of counting(l, q)) {
    if (fit && !fit.has(item)) continue;
    files.add(item);
    const source = sourceOf(l, item);
    const k = q.byWorkspace ? `${found.dataType} ${source}` : found.dataType;
    let row = rows.get(k);
    if (!row) {
      row = {
        type: found.dataType,
        name: typeName(l, found.dataType),
        weight: l.types.get(found.dataType)?.weight ?? 0,
        ...(q.byWorkspace && {
          ws: source,
          workspace: workspaceName(l, l.org.itemSpace[item]!),
        }),
        files: 0,
        occurrences: 0,
        owners: 0,
        tiers: TIERS.map(() => 0),
        owned: new Set(),
      };
      rows.set(k, row);
    }
    row.files++;
    row.occurrences += occurrences;
    row.tiers[couldTier(l, item)]!++;
    const owner = l.org.itemOwner[item]!;
    if (owner >= 0) row.owned.add(owner);
  }
  const list = [...rows.values()].map(({ owned, ...row }) => ({ ...row, owners: owned.size }));
  const spread = (r: ContentRow): number =>
    r.tiers.reduce((sum, n, t) => sum + n * (t >= 4 ? 1000 : 1) * r.weight ** 2, 0);
  list.sort((a, b) => spread(b) - spread(a) || (a.name < b.name ? -1 : 1));
  const { scanned: bySource, unread } = finds(l);
  const scanned = q.ws ? (bySource.get(q.ws) ?? 0) : [...bySource.values()].reduce((a, b) => a + b, 0);
  return {
    rows: list,
    files: files.size,
    scanned,
    unread: unread.filter((i) => !q.ws || sourceOf(l, i) === q.ws).length,
    survey: l.survey,
    takenAt: l.takenAt,
  };
}

const fileFields = (l: Loaded): Getters<[number, ContentFile], 'content-files'> => ({
  text: ([i, r]) => `${r.name} ${whereWords(l, nodeOfItem(l.org, i))}`.toLowerCase(),
  name: ([, r]) => r.name,
  path: ([i]) => whereWords(l, nodeOfItem(l.org, i)),
  owner: ([, r]) => (r.owner ? nameOfUser(l, r.owner) : ''),
  weight: ([, r]) => r.weight,
  now: ([, r]) => TIERS.indexOf(r.now),
  could: ([, r]) => TIERS.indexOf(r.could),
  types: ([, r]) => r.types.map((t) => t.name),
  occurrences: ([, r]) => r.occurrences,
  certainty: ([, r]) => r.certainty,
});

/** Files that hold something that counts and fit, by item; a file once, with all of it. */
function filesThat(
  l: Loaded,
  q: Pick<FilesQuery, 'types' | 'ws' | 'certainty' | 'tier' | 'text' | 'where'>,
): [number, ContentFile][] {
  const files = new Map<number, ContentFile>();
  const text = q.text?.toLowerCase();
  for (const { item, found, occurrences, distinct } of counting(l, q)) {
    const tier = couldTier(l, item);
    if (q.tier && TIERS[tier] !== q.tier) continue;
    const node = nodeOfItem(l.org, item);
    if (text && !files.has(item)) {
      const path = pathOf(l, node);
      if (!path.some((p) => p.name.toLowerCase().includes(text))) continue;
    }
    let file = files.get(item);
    if (!file) {
      const { source, id } = unkey(l.org.itemIds.at(item));
      const owner = l.org.users[l.org.itemOwner[item]!]?.id;
      file = {
        key: nodeKey(l, node),
        source,
        item: id,
        name: l.items.name(item),
        path: '',
        ...(owner && { owner }),
        weight: l.weights[item]!,
        now: TIERS[l.columns.nowTier[node]!]!,
        could: TIERS[tier]!,
        types: [],
        occurrences: 0,
        certainty: 0,
      };
      files.set(item, file);
    }
    file.types.push({ name: typeName(l, found.dataType), distinct });
    file.occurrences += occurrences;
    file.certainty = Math.max(file.certainty, found.certainty);
  }
  return [...files.entries()].filter(
    compileFilter(q.where, 'content-files', fileFields(l), Date.parse(l.takenAt)),
  );
}

/** Files that hold something that counts; a file once, with all of it. */
export function contentFiles(l: Loaded, q: FilesQuery): { rows: ContentFile[]; total: number } {
  const order = compareBy(q.sort, {
    occurrences: (a: ContentFile, b: ContentFile) => a.occurrences - b.occurrences,
    certainty: (a, b) => a.certainty - b.certainty,
    weight: (a, b) => a.weight - b.weight,
    reach: (a, b) =>
      TIERS.indexOf(a.could) - TIERS.indexOf(b.could) || TIERS.indexOf(a.now) - TIERS.indexOf(b.now),
    name: (a, b) => byCode(a.name, b.name),
  });
  const list = filesThat(l, q).sort(([x, a], [y, b]) => order(a, b) || b.weight - a.weight || x - y);
  const rows = list.slice(q.offset, q.offset + q.limit).map(([item, file]) => ({
    ...file,
    path: whereWords(l, nodeOfItem(l.org, item)),
    ...(file.owner && { owner: nameOfUser(l, file.owner) }),
  }));
  return { rows, total: list.length };
}

/** Files that were not read, or not to their end, and why. */
export function unreadFiles(
  l: Loaded,
  q: {
    ws?: string | undefined;
    text?: string | undefined;
    where?: string | undefined;
    limit: number;
    offset: number;
  },
): { rows: UnreadFile[]; total: number } {
  const fields: Getters<number, 'unread'> = {
    text: (i) => `${l.items.name(i)} ${whereWords(l, nodeOfItem(l.org, i))}`.toLowerCase(),
    name: (i) => l.items.name(i),
    path: (i) => whereWords(l, nodeOfItem(l.org, i)),
    owner: (i) => l.org.users[l.org.itemOwner[i]!]?.name ?? '',
    sizeBytes: (i) => l.items.bytes[i]! || 0,
    reason: (i) => l.content(i)!.reason!,
    now: (i) => l.columns.nowTier[nodeOfItem(l.org, i)]!,
    could: (i) => couldTier(l, i),
  };
  const test = compileFilter(q.where, 'unread', fields, Date.parse(l.takenAt));
  const text = q.text?.toLowerCase();
  const list = finds(l).unread.filter(
    (i) =>
      (!q.ws || sourceOf(l, i) === q.ws) &&
      (!text || `${l.items.name(i)} ${l.content(i)!.reason}`.toLowerCase().includes(text)) &&
      test(i),
  );
  list.sort((a, b) => couldTier(l, b) - couldTier(l, a) || a - b);
  return {
    total: list.length,
    rows: list.slice(q.offset, q.offset + q.limit).map((i) => {
      const node = nodeOfItem(l.org, i);
      const { source, id } = unkey(l.org.itemIds.at(i));
      const { name, owner, bytes } = l.items.row(i);
      return {
        key: nodeKey(l, node),
        source,
        item: id,
        name,
        path: whereWords(l, node),
        ...(owner && { owner: nameOfUser(l, owner) }),
        ...(bytes !== undefined && { bytes }),
        now: TIERS[l.columns.nowTier[node]!]!,
        could: TIERS[l.columns.couldTier[node]!]!,
        reason: l.content(i)!.reason!,
      };
    }),
  };
}

const used = new WeakMap<Loaded, Record<string, TypeUse>>();

/** How often each data type is found, at every preset and at what is set; worked out once for a survey as it is weighed. */
export function typeUse(l: Loaded): Record<string, TypeUse> {
  const known = used.get(l);
  if (known) return known;
  const use: Record<string, TypeUse> = {};
  const { found } = finds(l);
  for (const f of found) {
    const u = (use[f.dataType] ??= {
      files: 0,
      occurrences: 0,
      presets: { wide: none(), balanced: none(), strict: none() },
      levels: [],
    });
    const set = atLeast(f.levels, l.types.get(f.dataType)?.from ?? PRESETS.balanced);
    if (set.occurrences) u.files++;
    u.occurrences += set.occurrences;
    for (const [preset, certainty] of Object.entries(PRESETS) as [Preset, number][]) {
      const { occurrences } = atLeast(f.levels, certainty);
      if (!occurrences) continue;
      u.presets[preset].files++;
      u.presets[preset].occurrences += occurrences;
    }
    merge(u.levels, f.levels);
  }
  for (const { levels } of Object.values(use)) levels.sort((a, b) => b[0] - a[0]);
  used.set(l, use);
  return use;
}
const none = (): { files: number; occurrences: number } => ({ files: 0, occurrences: 0 });
function merge(into: Level[], levels: readonly Level[]): void {
  for (const [c, occurrences, distinct] of levels) {
    const same = into.find((x) => x[0] === c);
    if (same) {
      same[1] += occurrences;
      same[2] += distinct;
    } else into.push([c, occurrences, distinct]);
  }
}

/** Some matches of a type, masked: as many of each band of certainty, of different files where there are. */
export function samples(l: Loaded, type: string, skip: string[], each: number): TypeSample[] {
  const { item, found } = finds(l);
  const skipped = new Set(skip);
  const bands: TypeSample[][] = [[], [], [], []];
  for (let round = 0; round < 5; round++)
    for (let k = 0; k < found.length; k++) {
      const f = found[k]!;
      const m = f.dataType === type ? f.matches[round] : undefined;
      if (!m) continue;
      const band = bands[bandOf(m.certainty)]!;
      if (band.length >= each) continue;
      const { source, id } = unkey(l.org.itemIds.at(item[k]!));
      const place = `${m.part} ${m.start}`;
      if (skipped.has(`${source} ${id} ${place}`)) continue;
      const node = nodeOfItem(l.org, item[k]!);
      const path = whereWords(l, node);
      band.push({
        source,
        item: id,
        key: nodeKey(l, node),
        file: l.items.name(item[k]!),
        path,
        part: m.part,
        ...(m.where && { where: m.where }),
        place,
        masked: m.masked,
        certainty: m.certainty,
        reasons: m.reasons,
      });
    }
  return bands.flat().sort((a, b) => a.certainty - b.certainty);
}
