/** Tables to take away: the rows of a view, all of them, flat. No raw value is in any. */
import type { Measure } from '../core/exposure/crosstab.ts';
import type { Tier } from '../core/model.ts';
import { ocsfFinding } from '../formats/ocsf.ts';
import { csvLine, type Cell } from '../formats/table.ts';
import { xlsx } from '../formats/xlsx.ts';
import type { DimensionName, FindingRow, OutsideShow, TableName } from '../dto/exposure.ts';
import type { Engine } from '../engine/engine.ts';
import type { HoldingsQuery, PeopleQuery } from '../engine/engine.thread.ts';
import type { Findings } from './findings.ts';
import type { Ledger } from './ledger.ts';
import type { Recognition } from './recognition.ts';

type Row = Record<string, Cell>;

/** What a view is held to; a table takes what it knows. */
export interface TableQuery {
  asOf?: number | undefined;
  text?: string | undefined;
  where?: string | undefined;
  state?: 'open' | 'accepted' | 'fixed' | 'all' | undefined;
  severity?: string | undefined;
  space?: string | undefined;
  ws?: string | undefined;
  pack?: string | undefined;
  type?: string | undefined;
  tier?: Tier | undefined;
  certainty?: number | undefined;
  show?: string | undefined;
  parent?: string | undefined;
  kind?: string | undefined;
  weight?: number | undefined;
  domain?: string | undefined;
  owner?: string | undefined;
  only?: HoldingsQuery['only'];
  from?: number | undefined;
  to?: number | undefined;
  by?: DimensionName[] | undefined;
  measures?: Measure[] | undefined;
  at?: (string | null)[] | undefined;
}
export type TableFormat = 'csv' | 'xlsx' | 'jsonl' | 'ocsf';
const AT_ONCE = 500;
const VERSION = '0.1.0';

export class Tables {
  constructor(
    private readonly engine: Engine,
    private readonly findings: Findings,
    private readonly recognition: Recognition,
    private readonly ledger: Ledger,
    private readonly clock: () => Date,
  ) {}

  /** A table as a file, a few hundred rows at a time; that it was taken is on the ledger first. */
  async *export(name: TableName, format: TableFormat, q: TableQuery, by: string): AsyncGenerator<Uint8Array> {
    const held = Object.fromEntries(Object.entries(q).filter(([, v]) => v !== undefined && v !== ''));
    await this.ledger.add({ who: by, what: 'table.exported', subject: name, after: { format, ...held } });
    if (format === 'xlsx') {
      yield* xlsx(name, this.rows(name, q));
      return;
    }
    const encoder = new TextEncoder();
    for await (const text of format === 'ocsf' ? this.ocsf(q) : lines(this.rows(name, q), format))
      if (text) yield encoder.encode(text);
  }

  /** Findings as one JSON array of OCSF events. */
  private async *ocsf(q: TableQuery): AsyncGenerator<string> {
    const time = this.clock().getTime();
    const rows = await this.findings.fitting(findingFilter(q));
    yield '[';
    for (let at = 0; at < rows.length; at += AT_ONCE)
      yield rows
        .slice(at, at + AT_ONCE)
        .map((r, i) => `${at + i ? ',\n' : '\n'}${JSON.stringify(ocsfFinding({ ...r, ...r.summary }, time, VERSION))}`)
        .join('');
    yield '\n]\n';
  } // prettier-ignore

  private rows(name: TableName, q: TableQuery): AsyncGenerator<Row[]> {
    const ask = this.engine.ask;
    const kinds = (types: readonly { name: string; distinct: number }[]) => types.map((t) => `${t.name} × ${t.distinct}`).join('; ');
    switch (name) {
      case 'findings':
        return once(async () =>
          (await this.findings.fitting(findingFilter(q))).map(({ id, state, severity, points, weight, now, could, source, item, summary: s, ...r }: FindingRow): Row => ({
            finding: id, state, severity, points, file: s.name, space: s.space, path: s.path, owner: s.owner ?? '', weight, reach: now, could,
            contains: kinds(s.types), through: s.through.join('; '), domains: s.domains.join('; '), acceptedUntil: r.accepted?.until ?? '', reason: r.accepted?.reason ?? '',
            givenTo: r.assignee ?? '', notes: r.notes, opened: r.opened ?? '', source, item,
          })));
      case 'causes':
        return once(async () =>
          (await ask.causes(q.asOf, q))?.rows.map((c, i): Row => ({
            rank: i + 1, cause: c.words, kind: c.kind, points: c.points, findings: c.findings, together: c.together, members: c.members, others: c.external,
            on: c.node?.name ?? '', madeBy: c.entry?.madeBy ?? '', madeAt: c.entry?.madeAt ?? '',
          })));
      case 'contents':
        return once(async () =>
          (await ask.contents(q.asOf, { types: await this.recognition.typesOf(q.pack), ws: q.ws, certainty: q.certainty, text: q.text, where: q.where, byWorkspace: true }))?.rows.map((r): Row => ({
            dataType: r.name, id: r.type, weight: r.weight, workspace: r.workspace ?? '', files: r.files, occurrences: r.occurrences, owners: r.owners,
            ...Object.fromEntries((['sole', 'team', 'wide', 'organisation', 'partner', 'outside', 'public'] as const).map((t, k) => [t, r.tiers[k]!])),
          })));
      case 'content-files':
        return paged(async (offset) => {
          const types = await this.recognition.typesOf(q.pack, q.type);
          const page = await ask.contentFiles(q.asOf, { types, ws: q.ws, certainty: q.certainty, tier: q.tier, text: q.text, where: q.where, sort: 'reach', down: false, limit: AT_ONCE, offset });
          const rows = await this.recognition.scannedAt(page?.rows ?? []);
          return { total: page?.total ?? 0, rows: rows.map((r): Row => ({
            file: r.name, path: r.path, owner: r.owner ?? '', weight: r.weight, reach: r.now, could: r.could, contains: kinds(r.types),
            occurrences: r.occurrences, certainty: r.certainty, scannedAt: r.scannedAt ?? '', source: r.source, item: r.item,
          })) };
        });
      case 'unread':
        return paged(async (offset) => {
          const page = await ask.unreadFiles(q.asOf, { ws: q.ws, text: q.text, where: q.where, limit: AT_ONCE, offset });
          return { total: page?.total ?? 0, rows: (page?.rows ?? []).map((r): Row => ({ file: r.name, path: r.path, owner: r.owner ?? '', bytes: r.bytes, reason: r.reason, reach: r.now, could: r.could, source: r.source, item: r.item })) };
        });
      case 'outside':
        return once(async () =>
          (await ask.outside(q.asOf, { show: (q.show ?? 'all') as OutsideShow, text: q.text, where: q.where, sort: 'points', down: true }))?.rows.map((r): Row => ({
            domain: r.domain, standing: r.standing, freeMailboxes: r.consumer, looksLike: r.likens?.domain ?? '', people: r.people, everybody: r.whole, shared: r.shares,
            onSpaces: r.levels.space, onFolders: r.levels.folder, onFiles: r.levels.file, files: r.files, heavy: r.heavy, heaviest: r.heaviest, points: r.points,
            by: r.sharers.map((s) => s.name).join('; '), since: r.since ?? '', lastUsed: r.lastUsed ?? '',
          })));
      case 'holdings':
        return paged(async (offset) => {
          const page = await ask.holdings(q.asOf, { parent: q.parent, list: true, text: q.text, where: q.where, kind: q.kind, weight: q.weight, tier: q.tier, domain: q.domain, owner: q.owner, only: q.only, sort: 'name', down: false, limit: AT_ONCE, offset });
          return { total: page?.total ?? 0, rows: (page?.rows ?? []).map((r): Row => ({
            kind: r.spaceKind ?? r.kind, name: r.name, path: r.path ?? '', reach: r.now, could: r.could, weight: r.weight, files: r.files, exposed: r.exposed, members: r.members,
            external: r.external, owners: r.owners.join('; '), lastActivity: r.lastActivity ?? '', bytes: r.bytes, key: r.key,
          })) };
        });
      case 'people':
        return paged(async (offset) => {
          const page = await ask.people(q.asOf, { show: (q.show ?? 'groups') as PeopleQuery['show'], text: q.text, where: q.where, sort: 'name', down: false, limit: AT_ONCE, offset });
          return { total: page?.total ?? 0, rows: (page?.rows ?? []).map((r): Row => ({
            kind: r.kind, name: r.name, detail: r.detail, files: r.items, heavy: r.heavy, members: r.members ?? '', external: r.external ?? '', grants: r.grants, noted: r.flags.join('; '), key: r.key,
          })) };
        });
      case 'changes':
        return paged(async (offset) => {
          const page = await ask.changes(q.from ?? 0, q.to, { text: q.text, where: q.where, sort: 'reach', down: true, limit: AT_ONCE, offset });
          return { total: page?.total ?? 0, rows: (page?.rows ?? []).map((r): Row => ({
            change: r.change, kind: r.kind, name: r.name, path: r.path, weight: r.weight, reachBefore: r.before?.now ?? '', couldBefore: r.before?.could ?? '', reachAfter: r.after?.now ?? '',
            couldAfter: r.after?.could ?? '', gained: r.gained, lost: r.lost, by: r.by, key: r.key,
          })) };
        });
      case 'cross':
        return once(async () => {
          const page = await ask.cross(q.asOf, { by: q.by ?? ['weight', 'reach'], measures: q.measures ?? ['files'], where: q.where, ws: q.ws, space: q.space });
          return page?.cells.map((c): Row => ({
            ...Object.fromEntries(page.by.map((b, k) => [b, c.at[k] === null ? 'all' : page.values[k]![c.at[k]!]!])),
            ...Object.fromEntries(page.measures.map((m, k) => [m, c.values[k]!])),
          }));
        });
      case 'cross-files':
        return paged(async (offset) => {
          const page = await ask.crossItems(q.asOf, { by: q.by ?? ['weight', 'reach'], measures: q.measures ?? ['files'], where: q.where, ws: q.ws, space: q.space }, q.at ?? [], { limit: AT_ONCE, offset });
          return { total: page?.total ?? 0, rows: (page?.rows ?? []).map((r): Row => ({
            kind: r.kind, name: r.name, path: r.path, owner: r.owner ?? '', weight: r.weight, reach: r.now, could: r.could, points: r.points, contains: r.types.join('; '), bytes: r.bytes, key: r.key,
          })) };
        });
    }
  } // prettier-ignore
}

const findingFilter = (q: TableQuery) => ({
  state: q.state ?? ('open' as const),
  text: q.text,
  severity: q.severity,
  space: q.space,
  source: q.ws,
  where: q.where,
});

async function* lines(parts: AsyncIterable<Row[]>, format: 'csv' | 'jsonl'): AsyncGenerator<string> {
  let columns: string[] | undefined;
  for await (const rows of parts) {
    if (format === 'jsonl') {
      yield rows.map((r) => `${JSON.stringify(r)}\n`).join('');
      continue;
    }
    const first = columns === undefined;
    columns ??= Object.keys(rows[0] ?? {});
    if (rows.length) yield (first ? `\uFEFF${csvLine(columns)}` : '') + rows.map((r) => csvLine(columns!.map((c) => r[c]))).join('');
  }
} // prettier-ignore

async function* once(read: () => Promise<Row[] | undefined>): AsyncGenerator<Row[]> {
  yield (await read()) ?? [];
}

async function* paged(read: (offset: number) => Promise<{ rows: Row[]; total: number }>): AsyncGenerator<Row[]> {
  for (let offset = 0; ; offset += AT_ONCE) {
    const { rows, total } = await read(offset);
    yield rows;
    if (offset + AT_ONCE >= total) return;
  }
} // prettier-ignore
