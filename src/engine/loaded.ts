/** One survey's organisation in memory: columns for the core, rows for people to read. */
import { reach, type ReachColumns, type Tally } from '../core/access/reach.ts';
import { GrowInt32, Interner } from '../core/access/growable.ts';
import { OrganisationBuilder, type Organisation } from '../core/access/organisation.ts';
import { resolveDeeds, usageOf, type Usage } from '../core/access/usage.ts';
import { view, type View } from '../core/access/view.ts';
import { weigh, type Weighing } from '../core/exposure/exposure.ts';
import { findExposures, type ItemExposure } from '../core/exposure/find.ts';
import type {
  Grantee,
  GrantRow,
  GroupRow,
  ItemRow,
  LinkRow,
  OrganisationRow,
  PersonRow,
  SpaceRow,
  WorkspaceRow,
} from '../core/model.ts';
import type { CustomType } from '../core/recognise/custom.ts';
import type { Found } from '../core/recognise/types.ts';
import { DATA_TYPES } from '../core/recognise/types/index.ts';
import type { SourceKind } from '../connectors/abilities.ts';
import type { Db } from '../store/db.ts';
import { readCertainty } from '../store/settings.ts';
import { PackedTexts } from './packed.ts';
import {
  observedParts,
  readActivity,
  readObserved,
  type ContentDoc,
  type ObservedKind,
} from '../store/observed.ts';

/** Weights from here on are heavy: what must not be widely reached. */
export const HEAVY = 2;

/** Ids of different sources may be the same; inside the engine they carry their source. */
export const key = (source: string, id: string): string => `${source}:${id}`;
export const unkey = (k: string): { source: string; id: string } => {
  const at = k.indexOf(':');
  return { source: k.slice(0, at), id: k.slice(at + 1) };
};

/** How many rows a source gave of a kind. */
export interface RowCount {
  source: string;
  kind: ObservedKind;
  n: number;
}

export interface Loaded {
  survey: number;
  takenAt: string;
  /** Of all kinds but what is about sources, and contents. */
  counts: RowCount[];
  org: Organisation;
  view: View;
  columns: ReachColumns;
  /** Rows by number, as their sources give them. */
  items: ItemRow[];
  entryRow(entry: number): GrantRow | LinkRow;
  /** By entry: the user who made it, by number; −1 where that is not known. */
  madeBy: Int32Array;
  /** Number of a group or user of the organisation that a source's own id stands for. */
  groupRules: Map<string, string>;
  content: Map<string, ContentDoc>;
  /** Data types by id, those that stewards made too, and from which certainty on they count. */
  types: Map<string, TypeAbout>;
  weights: Uint8Array;
  /** How many files, and heavy ones, each identity holds something of. */
  tally: Tally;
  exposures: ItemExposure[];
  usage: Usage;
  ids: SourceIds;
}

/** What sources call people and groups, and what the organisation calls them. */
export interface SourceIds {
  user(source: string, id: string): string;
  group(source: string, id: string): string;
  /** A grantee or recipient as a source names it, as the organisation does. */
  principal<T extends object>(source: string, p: T): T;
  /** What a source calls a user; undefined where it knows none. */
  account(source: string, user: string): string | undefined;
  /** Where a user's account, or a group, is kept. */
  home(kind: 'user' | 'group', id: string): { source: string; id: string } | undefined;
  kind(source: string): SourceKind;
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

/** What follows from what files hold: their weights, and what is exposed. */
const weighAll = (
  types: Loaded['types'],
  org: Organisation,
  rows: ItemRow[],
  content: Loaded['content'],
): Uint8Array =>
  Uint8Array.from(rows, (row, i) => weighingOf(types, content.get(org.itemIds.at(i)), row.label).weight);

function tallied(v: View, rows: ItemRow[], weights: Uint8Array): { tally: Tally; columns: ReachColumns } {
  const tally: Tally = {
    counts: Uint8Array.from(rows, (row, i) => (row.kind !== 'file' ? 0 : weights[i]! >= HEAVY ? 2 : 1)),
    files: new Int32Array(v.identityCount),
    heavy: new Int32Array(v.identityCount),
  };
  return { tally, columns: reach(v, undefined, undefined, tally) };
}

/** The same survey with the data types, and the certainties from which they count, as they are now. */
export async function reweighed(db: Db, l: Loaded): Promise<Loaded> {
  const types = await readTypes(db);
  const weights = weighAll(types, l.org, l.items, l.content);
  const { tally, columns } = tallied(l.view, l.items, weights);
  return { ...l, types, weights, tally, columns, exposures: findExposures(l.view, columns, weights) };
}

/**
 * Who the accounts of all sources are: an account is the person of the directory, or of a source
 * before it, with one of its addresses; else a person of its own. The same person is one identity.
 */
class Identities {
  private readonly byAddress = new Map<string, string>();
  private readonly alias = new Map<string, string>();
  /** What each source calls a user, the one who is their home first. */
  readonly accounts = new Map<string, { source: string; id: string }[]>();
  readonly people: PersonRow[] = [];

  constructor(private readonly directories: ReadonlySet<string>) {}

  add(source: string, row: PersonRow): void {
    const whole = this.directories.has(source);
    const own = whole ? row.id : key(source, row.id);
    const known = whole
      ? undefined
      : row.addresses.map((a) => this.byAddress.get(a)).find((id) => id !== undefined);
    this.alias.set(key(source, row.id), known ?? own);
    const mine = this.accounts.get(known ?? own) ?? [];
    this.accounts.set(known ?? own, [...mine, { source, id: row.id }]);
    if (known) return;
    this.people.push({ ...row, id: own });
    for (const a of row.addresses) if (!this.byAddress.has(a)) this.byAddress.set(a, own);
  }

  user(source: string, id: string): string {
    return this.alias.get(key(source, id)) ?? id;
  }
}

/** Domains that stewards called a partner's, and that still are at a moment. */
const partnersAt = async (db: Db, moment: string): Promise<string[]> =>
  (
    await db.query<{ domain: string }>(
      'select domain from partner_domain where until is null or until >= $1::timestamptz::date order by domain',
      [moment],
    )
  ).map((r) => r.domain);

/** Scans of before levels were kept count with the certainty of their surest. */
function withLevels(doc: ContentDoc): ContentDoc {
  for (const f of doc.found as Partial<Found>[]) f.levels ??= [[f.certainty!, f.occurrences!, f.distinct!]];
  return doc;
}

/** Reads a survey and works out what all views rest on. `told`: how many rows are read so far, part by part. */
export async function loadSurvey(
  db: Db,
  survey: number,
  takenAt: string,
  told: (rows: number) => void = () => undefined,
): Promise<Loaded> {
  const organisation: OrganisationRow = { name: '', domains: [], partnerDomains: [] };
  const abouts = await readObserved<{ organisation: OrganisationRow; workspace: WorkspaceRow }>(
    db,
    'about',
    survey,
  );
  for (const { doc } of abouts) {
    organisation.name ||= doc.organisation.name;
    for (const k of ['domains', 'partnerDomains'] as const)
      organisation[k].push(...doc.organisation[k].filter((d) => !organisation[k].includes(d)));
  }
  for (const d of await partnersAt(db, takenAt))
    if (!organisation.partnerDomains.includes(d)) organisation.partnerDomains.push(d);
  const workspaces = new Set(abouts.map((a) => a.source));
  const builder = new OrganisationBuilder(organisation, Date.parse(takenAt));
  for (const { source, doc } of abouts)
    builder.workspace({ ...doc.workspace, id: key(source, doc.workspace.id) });

  const counts: RowCount[] = [];
  let read = 0;
  const counted = (kind: ObservedKind, source: string, n: number): void => {
    const last = counts.at(-1);
    // they come source by source
    if (last?.source === source && last.kind === kind) last.n += n;
    else counts.push({ source, kind, n });
    told((read += n));
  };
  // a directory is a source of people that is no workspace: its ids are the organisation's own
  const people = await readObserved<PersonRow>(db, 'person', survey, counted);
  const directories = new Set(people.map((p) => p.source).filter((s) => !workspaces.has(s)));
  const identities = new Identities(directories);
  for (const { source, doc } of people) if (directories.has(source)) identities.add(source, doc);
  for (const { source, doc } of people) if (!directories.has(source)) identities.add(source, doc);
  for (const p of identities.people) builder.person(p);

  const accountsIn = new Set(people.map((p) => p.source));
  const kinds = new Map(
    (await db.query<{ id: string; kind: SourceKind }>('select id, kind from source')).map((s) => [
      s.id,
      s.kind,
    ]),
  );

  const groups = await readObserved<GroupRow>(db, 'group', survey, counted);
  const localGroups = new Set(groups.filter((g) => workspaces.has(g.source)).map((g) => key(g.source, g.id)));
  const group = (source: string, id: string): string =>
    localGroups.has(key(source, id)) ? key(source, id) : id;
  const groupRules = new Map<string, string>();
  const groupHomes = new Map<string, { source: string; id: string }>();
  for (const { source, doc } of groups) {
    const id = group(source, doc.id);
    groupHomes.set(id, { source, id: doc.id });
    if (doc.rule) groupRules.set(id, doc.rule);
    builder.group({
      ...doc,
      id,
      members: doc.members.map((m) => {
        const asGroup = m.type ? m.type === 'Group' : localGroups.has(key(source, m.value)) || undefined;
        return asGroup
          ? { ...m, value: group(source, m.value) }
          : { ...m, value: identities.user(source, m.value) };
      }),
    });
  }

  const principal = <T extends object>(source: string, p: T): T =>
    'user' in p
      ? { ...p, user: identities.user(source, p.user as string) }
      : 'group' in p
        ? { ...p, group: group(source, p.group as string) }
        : p;
  const oneWorkspace = new Map(abouts.map((a) => [a.source, a.doc.workspace.id]));
  for (const { source, doc } of await readObserved<SpaceRow>(db, 'space', survey, counted)) {
    const listed = abouts.some((a) => a.source === source && a.doc.workspace.id === doc.workspace);
    builder.space({
      ...doc,
      id: key(source, doc.id),
      workspace: key(source, listed ? doc.workspace : (oneWorkspace.get(source) ?? doc.workspace)),
      ...(doc.gate && { gate: doc.gate.map((g) => group(source, g)) }),
      ...(doc.parts && { parts: doc.parts.map((p) => key(source, p)) }),
      ...(doc.owners && { owners: doc.owners.map((o) => identities.user(source, o)) }),
    });
  }
  const items: ItemRow[] = [];
  for await (const part of observedParts<ItemRow>(db, 'item', survey, counted))
    for (const { source, doc } of part) {
      const row: ItemRow = {
        ...doc,
        id: key(source, doc.id),
        space: key(source, doc.space),
        ...(doc.parent && { parent: key(source, doc.parent) }),
        ...(doc.owner && { owner: identities.user(source, doc.owner) }),
      };
      builder.item(row);
      items.push(row);
    }
  const on = (source: string, row: GrantRow | LinkRow) => ({
    on: 'space' in row.on ? { space: key(source, row.on.space) } : { item: key(source, row.on.item) },
    id: key(source, row.id),
  });
  const grant = (source: string, doc: GrantRow): GrantRow => ({
    ...doc,
    ...on(source, doc),
    to: principal<Grantee>(source, doc.to),
    ...(doc.grantedBy && { grantedBy: identities.user(source, doc.grantedBy) }),
  });
  const link = (source: string, doc: LinkRow): LinkRow => ({
    ...doc,
    ...on(source, doc),
    ...(doc.recipients && { recipients: doc.recipients.map((r) => principal(source, r)) }),
    ...(doc.redeemedBy && { redeemedBy: doc.redeemedBy.map((r) => principal(source, r)) }),
    ...(doc.createdBy && { createdBy: identities.user(source, doc.createdBy) }),
  });
  // the rows that were taken, in the order of their entries' rows
  const texts = new PackedTexts();
  const [makers, sources] = [new Interner(), new Interner()];
  const [maker, sourceOf] = [new GrowInt32(), new GrowInt32()];
  const keep = (source: string, json: string, by: string | undefined): void => {
    texts.add(json);
    sourceOf.push(sources.of(source));
    maker.push(makers.of(by ?? ''));
  };
  for await (const part of observedParts<GrantRow>(db, 'grant', survey, counted))
    for (const { source, doc, json } of part) {
      const row = grant(source, doc);
      if (builder.grant(row)) keep(source, json, row.grantedBy);
    }
  const grantCount = texts.length;
  for await (const part of observedParts<LinkRow>(db, 'link', survey, counted))
    for (const { source, doc, json } of part) {
      const row = link(source, doc);
      if (builder.link(row)) keep(source, json, row.createdBy);
    }
  const content = new Map(
    (await readObserved<ContentDoc>(db, 'content', survey)).map((c) => [
      key(c.source, c.id),
      withLevels(c.doc),
    ]),
  );

  const org = builder.build();
  const userOfMaker = makers.names.map((id) => org.find('user', id));
  const madeBy = org.entries.row.map((n) => userOfMaker[maker.at(n)]!);
  const itemRows: ItemRow[] = new Array<ItemRow>(org.itemIds.length);
  for (const row of items) {
    const n = org.find('item', row.id);
    if (n >= 0) itemRows[n] = row;
  }
  const v = view(org);
  const types = await readTypes(db);
  const weights = weighAll(types, org, itemRows, content);
  const { tally, columns } = tallied(v, itemRows, weights);

  const deeds = resolveDeeds(
    v,
    (await readActivity(db)).map((a) => ({
      ...a,
      item: key(a.source, a.item),
      actor: identities.user(a.source, a.actor),
    })),
  );
  return {
    survey,
    takenAt,
    counts,
    org,
    view: v,
    columns,
    items: itemRows,
    entryRow: (e) => {
      const n = org.entries.row[e]!;
      const source = sources.names[sourceOf.at(n)]!;
      const doc = JSON.parse(texts.at(n)) as GrantRow | LinkRow;
      return n < grantCount ? grant(source, doc as GrantRow) : link(source, doc as LinkRow);
    },
    madeBy,
    groupRules,
    content,
    types,
    weights,
    tally,
    exposures: findExposures(v, columns, weights),
    usage: usageOf(org, deeds),
    ids: {
      user: (source, id) => identities.user(source, id),
      group,
      principal,
      account: (source, user) => {
        const mine = identities.accounts.get(user);
        // a workspace without accounts of its own uses the directory's ids
        return (mine?.find((a) => a.source === source) ?? (accountsIn.has(source) ? undefined : mine?.[0]))
          ?.id;
      },
      home: (kind, id) => (kind === 'group' ? groupHomes.get(id) : identities.accounts.get(id)?.[0]),
      kind: (source) => kinds.get(source) ?? 'extract',
    },
  };
}
