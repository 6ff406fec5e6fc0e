/** The rows of one survey in memory, each source's ids told apart; a later survey replaces only what differs. */
import { OrganisationBuilder, type BuilderState } from '../core/access/builder.ts';
import { GrowInt32, Interner } from '../core/access/growable.ts';
import type { Organisation } from '../core/access/organisation.ts';
import { sameJson } from '../core/equal.ts';
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
import { KINDS, type RowKind, type RowOf } from '../core/row-kinds.ts';
import type { SourceKind } from '../core/remedy/fields.ts';
import type { Db } from '../store/db.ts';
import {
  asOf,
  observedParts,
  observedSince,
  readObserved,
  type AsOf,
  type ContentDoc,
  type ObservedChange,
  type ObservedKind,
} from '../store/observed.ts';
import { ContentDocs } from './content-docs.ts';
import { Identities } from './identities.ts';
import { ItemRows, type Items } from './items.ts';
import { key } from './keys.ts';
import { PackedTexts } from './packed.ts';

/** How many rows a source gave of a kind. */
export interface RowCount {
  source: string;
  kind: ObservedKind;
  n: number;
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

interface About {
  source: string;
  id: string;
  doc: { organisation: OrganisationRow; workspace: WorkspaceRow };
}

/** What a survey comes to as columns, with the rows behind them. */
interface Columns {
  org: Organisation;
  items: Items;
  entryRow: (entry: number) => GrantRow | LinkRow;
  madeBy: Int32Array;
  /** What is known of what an item holds. */
  content: (item: number) => ContentDoc | undefined;
  groupRules: Map<string, string>;
  kept: KeptRows;
  counts: RowCount[];
}

/** If more rows than this differ, reading everything anew is no slower. */
const MOST_CHANGES = 200_000;

/** Kinds in the order in which rows are put in. */
const ORDER: readonly ObservedKind[] = ['about', ...KINDS, 'content'];

/** A row as it came. */
type Kept = { source: string; row: RowOf[RowKind] };
export type KeptRows = ReadonlyMap<ObservedKind, ReadonlyMap<string, Kept>>;

/** Kinds that access does not rest on, so that the builder has no use for them. */
const KEPT = KINDS.filter((k) => !(k in OrganisationBuilder.prototype));

const FLAT = ['items', 'content', 'texts', 'sources', 'sourceOf', 'makers', 'maker'] as const;

/** The rows of a survey as flat columns and plain rows. */
export interface RowsState {
  at: AsOf;
  abouts: About[];
  directories: string[];
  people: [source: string, row: PersonRow][];
  accountsIn: string[];
  localGroups: string[];
  groupHomes: [string, { source: string; id: string }][];
  groupRules: [string, string][];
  kept: [ObservedKind, [string, Kept][]][];
  counted: RowCount[];
  builder: BuilderState;
  flat: unknown[];
}

export class SurveyRows {
  private readonly builder = new OrganisationBuilder(NO_ORGANISATION, 0);
  private readonly identities: Identities;
  /** How many rows have changed since they were read, or kept for the next start. */
  changed = 0;
  private readonly counted: RowCount[] = [];
  private accountsIn = new Set<string>();
  private readonly localGroups = new Set<string>();
  private readonly groupHomes = new Map<string, { source: string; id: string }>();
  private groupRules = new Map<string, string>();
  private readonly items = new ItemRows();
  private readonly content = new ContentDocs();
  private readonly kept = new Map<ObservedKind, Map<string, Kept>>(KEPT.map((k) => [k, new Map()]));
  // grants and links that were taken, in the order of the builder's rows
  private readonly texts = new PackedTexts();
  private readonly sources = new Interner();
  private readonly sourceOf = new GrowInt32();
  private readonly makers = new Interner();
  private readonly maker = new GrowInt32();

  private constructor(
    /** What they are as of. */
    private at: AsOf,
    private readonly abouts: About[],
    private readonly directories: ReadonlySet<string>,
    private kinds: ReadonlyMap<string, SourceKind>,
  ) {
    this.identities = new Identities(directories);
  }

  /** Reads a survey. `told`: how many rows are read so far, part by part. */
  static async read(
    db: Db,
    survey: number,
    takenAt: string,
    told: (rows: number) => void = () => undefined,
  ): Promise<SurveyRows> {
    // before any row is read: one that ends meanwhile may be half in, and is put in once more
    const at = await asOf(db, survey);
    const abouts = await readObserved<About['doc']>(db, 'about', at);
    const people = await readObserved<PersonRow>(db, 'person', at);
    // a directory is a source of people that is no workspace: its ids are the organisation's own
    const workspaces = new Set(abouts.map((a) => a.source));
    const directories = new Set(people.map((p) => p.source).filter((s) => !workspaces.has(s)));
    const rows = new SurveyRows(at, abouts, directories, await readKinds(db));
    await rows.judgeAt(db, takenAt);
    for (const { source, doc } of abouts)
      rows.builder.workspace({ ...doc.workspace, id: key(source, doc.workspace.id) });

    let read = 0;
    const counted = (kind: ObservedKind, source: string, n: number): void => {
      rows.count(kind, source, n);
      told((read += n));
    };
    for (const { source } of people) counted('person', source, 1);
    for (const of of [true, false])
      for (const { source, doc } of people)
        if (directories.has(source) === of) rows.identities.add(source, doc);
    for (const p of rows.identities.people) rows.builder.person(p);
    rows.accountsIn = new Set(people.map((p) => p.source));

    const groups = await readObserved<GroupRow>(db, 'group', at, counted);
    for (const g of groups) if (workspaces.has(g.source)) rows.localGroups.add(key(g.source, g.id));
    for (const { source, doc } of groups) rows.builder.group(rows.groupOf(source, doc));
    for (const { source, doc } of await readObserved<SpaceRow>(db, 'space', at, counted))
      rows.builder.space(rows.spaceOf(source, doc));
    for await (const part of observedParts<ItemRow>(db, 'item', at, counted))
      for (const { source, doc, json } of part) rows.putItem(source, doc, json);
    for (const kind of ['grant', 'link'] as const)
      for await (const part of observedParts<GrantRow & LinkRow>(db, kind, at, counted))
        for (const { source, doc, json } of part) rows.addEntry(kind, source, doc, json);
    for (const kind of KEPT)
      for (const { source, id, doc } of await readObserved<RowOf[RowKind]>(db, kind, at, counted))
        rows.kept.get(kind)!.set(key(source, id), { source, row: doc });
    for await (const part of observedParts(db, 'content', at))
      for (const c of part) rows.putContent(c.source, c.id, c.json);
    rows.settle();
    return rows;
  }

  /** Puts rows in the order of columns, once all are read: this and later columns are made in a fraction of the time. */
  private settle(): void {
    const { items, entries } = this.builder.settle();
    this.items.pick(items);
    for (const column of [this.texts, this.sourceOf, this.maker]) column.pick(entries);
  }

  /** What the rows come to now. What was given before stays as it was. */
  columns(): Columns {
    const org = this.builder.build();
    const userOfMaker = this.makers.names.map((id) => org.find('user', id));
    const maker = this.maker.done();
    return {
      org,
      items: this.items.items(org.itemRow, (source, doc) => this.itemOf(source, doc)),
      entryRow: (e) => {
        const n = org.entries.row[e]!;
        const source = this.sources.names[this.sourceOf.at(n)]!;
        return this.entryOf(source, JSON.parse(this.texts.at(n)) as GrantRow & LinkRow);
      },
      madeBy: org.entries.row.map((n) => userOfMaker[maker[n]!]!),
      content: this.content.of(this.builder.itemNumbers(org.itemRow)),
      groupRules: this.groupRules,
      kept: new Map(this.kept),
      counts: this.counted.map((c) => ({ ...c })),
    };
  }

  readonly ids: SourceIds = {
    user: (source, id) => this.identities.user(source, id),
    group: (source, id) => (this.localGroups.has(key(source, id)) ? key(source, id) : id),
    principal: (source, p) =>
      'user' in p
        ? { ...p, user: this.ids.user(source, p.user as string) }
        : 'group' in p
          ? { ...p, group: this.ids.group(source, p.group as string) }
          : p,
    account: (source, user) => {
      const mine = this.identities.accounts.get(user);
      // a workspace without accounts of its own uses the directory's ids
      return (mine?.find((a) => a.source === source) ?? (this.accountsIn.has(source) ? undefined : mine?.[0]))
        ?.id;
    },
    home: (kind, id) => (kind === 'group' ? this.groupHomes.get(id) : this.identities.accounts.get(id)?.[0]),
    kind: (source) => this.kinds.get(source) ?? 'extract',
  };

  /** The survey they are of. */
  get survey(): number {
    return this.at.survey;
  }

  /** Whether they are still as they were when `state` gave a state. */
  isStill(state: RowsState): boolean {
    return this.at === state.at;
  }

  // --- moving on

  /**
   * Brings the rows to a later survey by what differs. False, with nothing done, where a difference is of a kind that can
   * only be read with everything else.
   */
  async moveTo(db: Db, to: number, takenAt: string): Promise<boolean> {
    if (to < this.survey) return false;
    const at = await asOf(db, to);
    const changes = await observedSince(db, this.at, at, MOST_CHANGES);
    const kinds = await readKinds(db);
    if (!changes || !this.canTake(changes)) return false;
    await this.judgeAt(db, takenAt);
    this.kinds = kinds;
    this.at = at;
    this.changed += changes.length;
    for (const kind of ORDER) {
      const mine = changes.filter((c) => c.kind === kind);
      if (mine.length) this.takeKind(kind, mine);
    }
    return true;
  }

  /** Who is a partner, and what has ended, is judged at a moment. */
  private async judgeAt(db: Db, takenAt: string): Promise<void> {
    const own: OrganisationRow = { name: '', domains: [], partnerDomains: [] };
    for (const { doc } of this.abouts) {
      own.name ||= doc.organisation.name;
      for (const k of ['domains', 'partnerDomains'] as const)
        own[k].push(...doc.organisation[k].filter((d) => !own[k].includes(d)));
    }
    for (const d of await partnersAt(db, takenAt))
      if (!own.partnerDomains.includes(d)) own.partnerDomains.push(d);
    this.builder.about(own, Date.parse(takenAt));
  }

  private canTake(changes: readonly ObservedChange[]): boolean {
    // of two directories the first to list somebody counts, which is not known any more
    if (this.directories.size > 1 && changes.some((c) => c.kind === 'person' || c.kind === 'group'))
      return false;
    // a space that is named and not listed would stay, though nothing names it any more
    if (this.builder.hasUnlistedSpaces()) return false;
    let members: Set<string> | undefined;
    /** Whether a name that a workspace gave before it listed what it is would now mean something else. */
    const isNamed = (id: string): boolean =>
      this.builder.knows('user', id) ||
      this.builder.knows('group', id) ||
      (members ??= this.builder.memberValues()).has(id);
    return changes.every(({ kind, source, id, doc }) => {
      switch (kind) {
        case 'about':
          return sameJson(this.abouts.find((a) => a.source === source && a.id === id)?.doc ?? null, doc);
        case 'person': {
          const row = doc as PersonRow | null;
          if (!row) return false;
          const before = this.identities.rowOf(source, id);
          if (before) return before.kind === row.kind && sameJson(before.addresses, row.addresses);
          return (this.directories.has(source) || !isNamed(id)) && this.identities.canJoin(source, row);
        }
        case 'group': {
          if (!doc) return false;
          const home = this.groupHomes.get(this.ids.group(source, id));
          return home ? home.source === source : this.directories.has(source) || !isNamed(id);
        }
        case 'space':
          return doc !== null;
        default:
          return true;
      }
    });
  }

  private takeKind(kind: ObservedKind, changes: readonly ObservedChange[]): void {
    const kept = this.kept.has(kind) ? new Map(this.kept.get(kind)) : undefined;
    if (kept) this.kept.set(kind, kept);
    if (kind === 'group') {
      this.groupRules = new Map(this.groupRules);
      for (const { source, id } of changes)
        if (!this.directories.has(source)) this.localGroups.add(key(source, id));
    }
    for (const { source, id, doc, json, isNew } of changes) {
      if (kind !== 'content' && kind !== 'about') this.count(kind, source, doc === null ? -1 : isNew ? 1 : 0);
      if (kind === 'person') this.takePerson(source, doc as PersonRow);
      else if (kind === 'group') this.builder.replace('group', this.groupOf(source, doc as GroupRow));
      else if (kind === 'space') this.builder.replace('space', this.spaceOf(source, doc as SpaceRow));
      else if (kind === 'item') {
        if (doc) this.putItem(source, doc as ItemRow, json);
        else this.builder.dropItem(key(source, id));
      } else if (kind === 'grant' || kind === 'link') {
        this.builder.dropEntry(kind, key(source, id));
        if (doc) this.addEntry(kind, source, doc as GrantRow & LinkRow, json);
      } else if (kind === 'content') {
        if (doc) this.putContent(source, id, json);
        else this.content.drop(this.builder.itemNumber(key(source, id)));
      } else if (doc) kept?.set(key(source, id), { source, row: doc as RowOf[RowKind] });
      else kept?.delete(key(source, id));
    }
  }

  private takePerson(source: string, row: PersonRow): void {
    const before = this.identities.people.length;
    this.accountsIn.add(source);
    const own = this.identities.put(source, row);
    if (own && this.identities.people.length > before) this.builder.person(own);
    else if (own) this.builder.replace('user', own);
  }

  // --- kept for the next start

  /** All that was read, not copied: what `restored` takes. It holds until the rows move on. */
  state(): RowsState {
    return {
      at: this.at,
      abouts: this.abouts,
      directories: [...this.directories],
      people: this.identities.all(),
      accountsIn: [...this.accountsIn],
      localGroups: [...this.localGroups],
      groupHomes: [...this.groupHomes],
      groupRules: [...this.groupRules],
      kept: [...this.kept].map(([kind, rows]) => [kind, [...rows]]),
      counted: this.counted,
      builder: this.builder.state(),
      flat: FLAT.map((k) => this[k].state()),
    };
  }

  /** Rows as they were kept; `takenAt`: the moment of the survey that they are of. */
  static async restored(db: Db, state: RowsState, takenAt: string): Promise<SurveyRows> {
    const rows = new SurveyRows(state.at, state.abouts, new Set(state.directories), await readKinds(db));
    rows.builder.restore(state.builder);
    await rows.judgeAt(db, takenAt);
    for (const [source, row] of state.people) rows.identities.add(source, row);
    rows.accountsIn = new Set(state.accountsIn);
    for (const id of state.localGroups) rows.localGroups.add(id);
    for (const [id, home] of state.groupHomes) rows.groupHomes.set(id, home);
    rows.groupRules = new Map(state.groupRules);
    for (const [kind, list] of state.kept) rows.kept.set(kind, new Map(list));
    rows.counted.push(...state.counted);
    FLAT.forEach((k, n) => rows[k].restore(state.flat[n] as never));
    return rows;
  }

  // --- rows as the organisation names things

  private count(kind: ObservedKind, source: string, n: number): void {
    const known = this.counted.find((c) => c.source === source && c.kind === kind);
    if (known) known.n += n;
    else this.counted.push({ source, kind, n });
  }

  private groupOf(source: string, doc: GroupRow): GroupRow {
    const id = this.ids.group(source, doc.id);
    this.groupHomes.set(id, { source, id: doc.id });
    if (doc.rule) this.groupRules.set(id, doc.rule);
    else this.groupRules.delete(id);
    return {
      ...doc,
      id,
      members: doc.members.map((m) => {
        const asGroup = m.type ? m.type === 'Group' : this.localGroups.has(key(source, m.value)) || undefined;
        const value = asGroup ? this.ids.group(source, m.value) : this.ids.user(source, m.value);
        return { ...m, value };
      }),
    };
  }

  private spaceOf(source: string, doc: SpaceRow): SpaceRow {
    const mine = this.abouts.filter((a) => a.source === source);
    const listed = mine.some((a) => a.doc.workspace.id === doc.workspace);
    const workspace = listed ? doc.workspace : (mine.at(-1)?.doc.workspace.id ?? doc.workspace);
    return {
      ...doc,
      id: key(source, doc.id),
      workspace: key(source, workspace),
      ...(doc.gate && { gate: doc.gate.map((g) => this.ids.group(source, g)) }),
      ...(doc.parts && { parts: doc.parts.map((p) => key(source, p)) }),
      ...(doc.owners && { owners: doc.owners.map((o) => this.ids.user(source, o)) }),
    };
  }

  private itemOf(source: string, doc: ItemRow): ItemRow {
    return {
      ...doc,
      id: key(source, doc.id),
      space: key(source, doc.space),
      ...(doc.parent && { parent: key(source, doc.parent) }),
      ...(doc.owner && { owner: this.ids.user(source, doc.owner) }),
    };
  }

  private entryOf(source: string, doc: GrantRow | LinkRow): GrantRow | LinkRow {
    const common = {
      on: 'space' in doc.on ? { space: key(source, doc.on.space) } : { item: key(source, doc.on.item) },
      id: key(source, doc.id),
    };
    return 'audience' in doc
      ? {
          ...doc,
          ...common,
          ...(doc.recipients && { recipients: doc.recipients.map((r) => this.ids.principal(source, r)) }),
          ...(doc.redeemedBy && { redeemedBy: doc.redeemedBy.map((r) => this.ids.principal(source, r)) }),
          ...(doc.createdBy && { createdBy: this.ids.user(source, doc.createdBy) }),
        }
      : {
          ...doc,
          ...common,
          to: this.ids.principal<Grantee>(source, doc.to),
          ...(doc.grantedBy && { grantedBy: this.ids.user(source, doc.grantedBy) }),
        };
  }

  private putItem(source: string, doc: ItemRow, json: string): void {
    this.items.put(this.builder.putItem(this.itemOf(source, doc)), source, doc, json);
  }

  private putContent(source: string, id: string, json: string): void {
    this.content.put(this.builder.itemNumber(key(source, id)), json);
  }

  private addEntry(kind: 'grant' | 'link', source: string, doc: GrantRow & LinkRow, json: string): void {
    const row = this.entryOf(source, doc);
    const taken = kind === 'grant' ? this.builder.grant(row as GrantRow) : this.builder.link(row as LinkRow);
    if (!taken) return;
    this.texts.add(json);
    this.sourceOf.push(this.sources.of(source));
    this.maker.push(this.makers.of(('audience' in row ? row.createdBy : row.grantedBy) ?? ''));
  }
}

const NO_ORGANISATION: OrganisationRow = { name: '', domains: [], partnerDomains: [] };

const readKinds = async (db: Db): Promise<Map<string, SourceKind>> =>
  new Map(
    (await db.query<{ id: string; kind: SourceKind }>('select id, kind from source')).map((s) => [
      s.id,
      s.kind,
    ]),
  );

/** Domains that stewards called a partner's, and that still are at a moment. */
const partnersAt = async (db: Db, moment: string): Promise<string[]> =>
  (
    await db.query<{ domain: string }>(
      'select domain from partner_domain where until is null or until >= $1::timestamptz::date order by domain',
      [moment],
    )
  ).map((r) => r.domain);
