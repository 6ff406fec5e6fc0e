/** Tables to take away: the rows of a view, all of them, flat. No raw value is in any. */
import type { Tier } from '../core/model.ts';
import { csvLine, type Cell } from '../formats/table.ts';
import type { OutsideShow, TableName } from './dto.ts';
import type { Engine } from './engine/engine.ts';
import type { Findings } from './findings.ts';
import type { Ledger } from './ledger.ts';
import type { Recognition } from './recognition.ts';

type Row = Record<string, Cell>;

/** What a view is held to; a table takes what it knows. */
export interface TableQuery {
  asOf?: number | undefined;
  text?: string | undefined;
  state?: 'open' | 'fixed' | 'all' | undefined;
  severity?: string | undefined;
  space?: string | undefined;
  ws?: string | undefined;
  pack?: string | undefined;
  type?: string | undefined;
  tier?: Tier | undefined;
  certainty?: number | undefined;
  show?: OutsideShow | undefined;
}
const AT_ONCE = 500;

export class Tables {
  constructor(
    private readonly engine: Engine,
    private readonly findings: Findings,
    private readonly recognition: Recognition,
    private readonly ledger: Ledger,
  ) {}

  /** The rows of a table as text, a few hundred at a time; that it was taken is on the ledger first. */
  async *export(
    name: TableName,
    format: 'csv' | 'jsonl',
    q: TableQuery,
    by: string,
  ): AsyncGenerator<string> {
    const held = Object.fromEntries(Object.entries(q).filter(([, v]) => v !== undefined && v !== ''));
    await this.ledger.add({ who: by, what: 'table.exported', subject: name, after: { format, ...held } });
    let columns: string[] | undefined;
    for await (const rows of this.rows(name, q)) {
      if (format === 'jsonl') {
        yield rows.map((r) => `${JSON.stringify(r)}\n`).join('');
        continue;
      }
      const first = columns === undefined;
      columns ??= Object.keys(rows[0] ?? {});
      if (rows.length) yield (first ? `\uFEFF${csvLine(columns)}` : '') + rows.map((r) => csvLine(columns!.map((c) => r[c]))).join('');
    }
  } // prettier-ignore

  private rows(name: TableName, q: TableQuery): AsyncGenerator<Row[]> {
    const ask = this.engine.ask;
    switch (name) {
      case 'findings':
        return paged(async (offset) => {
          const { rows, total } = await this.findings.list({
            state: q.state ?? 'open', text: q.text, severity: q.severity, space: q.space, source: q.ws, sort: 'points', limit: AT_ONCE, offset,
          });
          return { total, rows: rows.map(({ id, state, severity, points, weight, now, could, source, item, summary: s }): Row => ({
            finding: id, state, severity, points, file: s.name, space: s.space, path: s.path, owner: s.owner ?? '', weight, reach: now, could,
            contains: s.types.map((t) => `${t.name} × ${t.distinct}`).join('; '), through: s.through.join('; '), domains: s.domains.join('; '), source, item,
          })) };
        });
      case 'causes':
        return once(async () =>
          (await ask.causes(q.asOf))?.rows.map((c, i): Row => ({
            rank: i + 1, cause: c.words, kind: c.kind, points: c.points, findings: c.findings, together: c.together, members: c.members, others: c.external,
            on: c.node?.name ?? '', madeBy: c.entry?.madeBy ?? '', madeAt: c.entry?.madeAt ?? '',
          })));
      case 'contents':
        return once(async () =>
          (await ask.contents(q.asOf, { types: await this.recognition.typesOf(q.pack), ws: q.ws, certainty: q.certainty, byWorkspace: true }))?.rows.map((r): Row => ({
            dataType: r.name, id: r.type, weight: r.weight, workspace: r.workspace ?? '', files: r.files, occurrences: r.occurrences, owners: r.owners,
            ...Object.fromEntries((['sole', 'team', 'wide', 'organisation', 'partner', 'outside', 'public'] as const).map((t, k) => [t, r.tiers[k]!])),
          })));
      case 'content-files':
        return paged(async (offset) => {
          const types = await this.recognition.typesOf(q.pack, q.type);
          const page = await ask.contentFiles(q.asOf, { types, ws: q.ws, certainty: q.certainty, tier: q.tier, text: q.text, sort: 'reach', down: false, limit: AT_ONCE, offset });
          const rows = await this.recognition.scannedAt(page?.rows ?? []);
          return { total: page?.total ?? 0, rows: rows.map((r): Row => ({
            file: r.name, path: r.path, owner: r.owner ?? '', weight: r.weight, reach: r.now, could: r.could, contains: r.types.map((t) => `${t.name} × ${t.distinct}`).join('; '),
            occurrences: r.occurrences, certainty: r.certainty, scannedAt: r.scannedAt ?? '', source: r.source, item: r.item,
          })) };
        });
      case 'unread':
        return paged(async (offset) => {
          const page = await ask.unreadFiles(q.asOf, { ws: q.ws, text: q.text, limit: AT_ONCE, offset });
          return { total: page?.total ?? 0, rows: (page?.rows ?? []).map((r): Row => ({ file: r.name, path: r.path, owner: r.owner ?? '', bytes: r.bytes, reason: r.reason, reach: r.now, could: r.could, source: r.source, item: r.item })) };
        });
      case 'outside':
        return once(async () =>
          (await ask.outside(q.asOf, { show: q.show ?? 'all', text: q.text, sort: 'points', down: true }))?.rows.map((r): Row => ({
            domain: r.domain, standing: r.standing, freeMailboxes: r.consumer, looksLike: r.likens?.domain ?? '', people: r.people, everybody: r.whole, shared: r.shares,
            onSpaces: r.levels.space, onFolders: r.levels.folder, onFiles: r.levels.file, files: r.files, heavy: r.heavy, heaviest: r.heaviest, points: r.points,
            by: r.sharers.map((s) => s.name).join('; '), since: r.since ?? '', lastUsed: r.lastUsed ?? '',
          })));
    }
  } // prettier-ignore
}

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
