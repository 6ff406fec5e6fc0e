/** One survey's organisation in memory: columns for the core, rows for people to read. */
import type { Organisation } from '../core/access/organisation.ts';
import { alikeSpaces, type Alike } from '../core/access/alike.ts';
import { reach, reachAgain, type ReachColumns, type Tally } from '../core/access/reach.ts';
import { resolveDeeds, usageOf, type Usage } from '../core/access/usage.ts';
import type { ActivitySource } from '../core/ask/activity.ts';
import { view, type View } from '../core/access/view.ts';
import { weigh, type Weighing } from '../core/exposure/exposure.ts';
import { findExposures, type ItemExposure } from '../core/exposure/find.ts';
import { emptyTally } from '../core/exposure/tally.ts';
import type { GrantRow, LinkRow } from '../core/model.ts';
import type { CustomType } from '../core/recognise/custom.ts';
import { maskedName } from '../core/recognise/masked-name.ts';
import { IN_NAME } from '../core/recognise/types.ts';
import { PACKS } from '../core/recognise/packs.ts';
import { DATA_TYPES } from '../core/recognise/types/index.ts';
import type { Db } from '../store/db.ts';
import { readActivity, type ContentDoc } from '../store/observed.ts';
import { readCertainty } from '../store/settings.ts';
import { readApprovals, readBook, readLapsed, type ScopesSaid } from './scopes.ts';
import { bookOf, readCharters, type CharterBook } from './charters.ts';
import { renamed, type Items } from './items.ts';
import { key } from './keys.ts';
import { unchanged, type Unchanged } from './unchanged.ts';
import { SurveyRows, type KeptRows, type RowCount, type SourceIds } from './rows.ts';

export interface Loaded {
  /** The rows it is made of; a later survey of the same rows but a few is made from them too. */
  rows: SurveyRows;
  survey: number;
  takenAt: string;
  /** Of all kinds but what is about sources, and contents. */
  counts: RowCount[];
  org: Organisation;
  view: View;
  columns: ReachColumns;
  items: Items;
  /** The same with names as they are. */
  raw: Items;
  entryRow(entry: number): GrantRow | LinkRow;
  /** By entry: the user who made it, by number; −1 where that is not known. */
  madeBy: Int32Array;
  /** Number of a group or user of the organisation that a source's own id stands for. */
  groupRules: Map<string, string>;
  /** Rows of the kinds that access does not rest on, by kind and key. */
  kept: KeptRows;
  /** What is known of what an item holds. */
  content: (item: number) => ContentDoc | undefined;
  /** Data types by id, those that stewards made too, and from which certainty on they count. */
  types: Map<string, TypeAbout>;
  /** Data types by pack; what is kept of it follows changes. */
  packs: Packs;
  /** What spaces are for; it follows changes too. */
  charters: CharterBook;
  /** What scopes of apps allow; it follows changes too. */
  scopes: ScopesSaid;
  weights: Uint8Array;
  /** How many files, and heavy ones, each identity holds something of. */
  tally: Tally;
  exposures: ItemExposure[];
  usage: Usage;
  /** When events told of something last, by key and where that is known from, in milliseconds since 1970. */
  seen: { key: string; source: ActivitySource; at: number }[];
  ids: SourceIds;
  /** What is as it was in the survey that this one was made from. */
  unchanged?: Unchanged | undefined;
}

/** Those that ship, and those that stewards made. */
export interface Packs {
  byId: ReadonlyMap<string, readonly string[]>;
}

export interface TypeAbout {
  name: string;
  weight: number;
  from: number;
}

/** Exposure points by item; 0 where it is not exposed. */
export function pointsByItem({ items, exposures }: Loaded): Float64Array {
  const points = new Float64Array(items.length);
  for (const e of exposures) points[e.item] = e.points;
  return points;
}

export const weighingOf = (
  types: Loaded['types'],
  doc: ContentDoc | undefined,
  label: string | undefined,
): Weighing =>
  weigh(
    (doc?.found ?? []).flatMap((f) => {
      const type = types.get(f.dataType);
      return type ? [{ ...type, levels: f.levels }] : [];
    }),
    label,
  );

/** Every data type, and the certainty from which each counts. */
async function readTypes(db: Db): Promise<Loaded['types']> {
  const { usual, own } = await readCertainty(db);
  const custom = await db.query<{ doc: CustomType }>('select doc from custom_type');
  return new Map(
    [...DATA_TYPES, ...custom.map((c) => c.doc)].map(({ id, name, weight }) => [
      id,
      { name, weight, from: own[id] ?? usual },
    ]),
  );
}

/** When events told of something last. */
const readSeen = async (db: Db): Promise<Loaded['seen']> =>
  (
    await db.query<{ key: string; source: ActivitySource; at: Date }>(
      'select node_key as key, source, at from node_seen',
    )
  ).map((s) => ({ ...s, at: s.at.getTime() }));

/** Every pack, with the ids of its data types. */
export async function readPacks(db: Db): Promise<Packs['byId']> {
  const own = await db.query<{ id: string; types: string[] }>('select id, types from pack');
  return new Map([...PACKS, ...own].map(({ id, types }) => [id, types]));
}

/** How heavy each item is. Most hold nothing: by their label alone. */
function weighAll(types: Loaded['types'], items: Items, content: Loaded['content']): Uint8Array {
  const byLabel = new Map<string | undefined, number>();
  const weights = new Uint8Array(items.length);
  for (let i = 0; i < weights.length; i++) {
    const [doc, label] = [content(i), items.label(i)];
    let weight = doc?.found.length ? undefined : byLabel.get(label);
    if (weight === undefined) {
      ({ weight } = weighingOf(types, doc, label));
      if (!doc?.found.length) byLabel.set(label, weight);
    }
    weights[i] = weight;
  }
  return weights;
}

/** The items, with what is sensitive in a file’s name masked: everything that is told of a survey tells these. */
function named(types: Loaded['types'], items: Items, content: Loaded['content']): Items {
  const masked = new Map<number, string>();
  for (let i = 0; i < items.length; i++) {
    const { found = [] } = content(i) ?? {};
    if (found.some((f) => f.matches.some((m) => m.where === IN_NAME)))
      masked.set(
        i,
        maskedName(items.name(i), found, (type) => types.get(type)),
      );
  }
  return renamed(items, masked);
}

export interface Tallied {
  tally: Tally;
  columns: ReachColumns;
}

/** What each identity holds, and how far each node reaches. */
export function tallied(v: View, items: Items, weights: Uint8Array): Tallied {
  return tallyOf(v, emptyTally(v, items.isFile, weights));
}

const tallyOf = (v: View, tally: Tally): Tallied => ({
  tally,
  columns: reach(v, undefined, undefined, tally),
});

/** What is alike in two surveys that were made one after the other from the same rows; undefined where that is not known. */
export const alikeIn = (before: Loaded, l: Loaded): Alike | undefined =>
  before.rows === l.rows ? alikeSpaces(before.view, l.view) : undefined;

/** The same survey with the data types, and the certainties from which they count, as they are now. */
export async function reweighed(db: Db, l: Loaded): Promise<Loaded> {
  const types = await readTypes(db);
  const items = named(types, l.raw, l.content);
  const weights = weighAll(types, items, l.content);
  const { tally, columns } = tallied(l.view, items, weights);
  // what was judged of it is not known of other weights
  return {
    ...l,
    unchanged: undefined,
    items,
    types,
    weights,
    tally,
    columns,
    exposures: findExposures(l.view, columns, weights),
  };
}

/** Reads a survey and works out what all views rest on. `told`: how many rows are read so far, part by part. */
export async function loadSurvey(
  db: Db,
  survey: number,
  takenAt: string,
  told?: (rows: number) => void,
): Promise<Loaded> {
  return judged(db, await SurveyRows.read(db, survey, takenAt, told), survey, takenAt);
}

/**
 * A survey that follows on a loaded one, made from the rows in memory and those that differ: only these are
 * read. Undefined where that cannot be done, and it has to be loaded. The one before stays as it is.
 */
export async function movedOn(
  db: Db,
  l: Loaded,
  survey: number,
  takenAt: string,
): Promise<Loaded | undefined> {
  if (l.survey !== l.rows.survey) return undefined;
  let alike: Alike | undefined;
  const next = await following(db, l.rows, survey, takenAt, (view, _, tally) => {
    alike = alikeSpaces(l.view, view);
    const columns = alike && reachAgain(view, l, alike, tally);
    return columns && { tally, columns };
  });
  return next && survey !== l.survey ? { ...next, unchanged: unchanged(l, next, alike) } : next;
}

/** A survey that follows on the one that some rows are of, made from these and from what differs; undefined where that cannot be done. */
export const following = async (
  db: Db,
  rows: SurveyRows,
  survey: number,
  takenAt: string,
  kept?: Kept,
): Promise<Loaded | undefined> =>
  (await rows.moveTo(db, survey, takenAt)) ? judged(db, rows, survey, takenAt, kept) : undefined;

/** How far everything reaches, by what was worked out before; undefined where all has to be worked out anew. */
type Kept = (view: View, types: Loaded['types'], empty: Tally) => Tallied | undefined;

/** Works out what all views rest on, from the rows as they are now. */
async function judged(
  db: Db,
  rows: SurveyRows,
  survey: number,
  takenAt: string,
  kept?: Kept,
): Promise<Loaded> {
  const { org, items: raw, counts, ...rest } = rows.columns();
  const v = view(org);
  const types = await readTypes(db);
  const items = named(types, raw, rest.content);
  const weights = weighAll(types, items, rest.content);
  const empty = emptyTally(v, items.isFile, weights);
  const { tally, columns } = kept?.(v, types, empty) ?? tallyOf(v, empty);
  const deeds = resolveDeeds(
    v,
    (await readActivity(db)).map((a) => ({
      ...a,
      item: key(a.source, a.item),
      actor: rows.ids.user(a.source, a.actor),
    })),
  );
  return {
    rows,
    survey,
    takenAt,
    counts,
    org,
    view: v,
    columns,
    items,
    raw,
    ...rest,
    types,
    packs: { byId: await readPacks(db) },
    charters: bookOf(await readCharters(db)),
    scopes: { book: await readBook(db), approvals: await readApprovals(db), lapsed: await readLapsed(db) },
    weights,
    tally,
    exposures: findExposures(v, columns, weights),
    usage: usageOf(org, deeds),
    seen: await readSeen(db),
    ids: rows.ids,
  };
}
