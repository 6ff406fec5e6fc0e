/** Tables exported: the rows that a view shows, all of them, flat. */
import type { FindingRow } from '../../dto/exposure.ts';
import type { QueryOfTable, TableName } from '../../dto/tables.ts';
import { ocsfFinding } from '../../formats/ocsf.ts';
import { maskedText } from '../../core/recognise/masked-name.ts';
import { csvLine } from '../../formats/table.ts';
import { xlsx } from '../../formats/xlsx.ts';
import { TABLE, type FlatRow, type PageOf, type PageOfTable, type TableParts } from './tables.ts';

export type TableFormat = 'csv' | 'xlsx' | 'jsonl' | 'ocsf';
const AT_ONCE = 500;
const VERSION = '0.1.0';

export class Tables {
  constructor(
    private readonly parts: TableParts,
    private readonly clock: () => Date,
  ) {}

  /** A page of a table; undefined where the survey that is asked for is not there. Left where the signal is aborted. */
  page<T extends TableName>(
    name: T,
    query: QueryOfTable<T>,
    page: PageOf,
    signal?: AbortSignal,
  ): Promise<PageOfTable<T> | undefined> {
    return TABLE[name].read(this.parts, query as never, page, signal) as Promise<PageOfTable<T> | undefined>;
  }

  /** A table as a file, a few hundred rows at a time; that it was exported is on the ledger first. */
  async *export<T extends TableName>(
    name: T,
    format: TableFormat,
    query: QueryOfTable<T>,
    by: string,
  ): AsyncGenerator<Uint8Array> {
    // what somebody searched for may itself be what nobody is to read
    const held = Object.fromEntries(
      Object.entries(query).flatMap(([k, v]: [string, unknown]) =>
        v === undefined || v === '' ? [] : [[k, typeof v === 'string' ? maskedText(v) : v]],
      ),
    );
    await this.parts.ledger.add({
      who: by,
      what: 'table.exported',
      subject: name,
      after: { format, ...held },
    });
    if (format === 'xlsx') {
      yield* xlsx(name, this.flat(name, query));
      return;
    }
    const encoder = new TextEncoder();
    const texts = format === 'ocsf' ? this.ocsf(name, query) : lines(this.flat(name, query), format);
    for await (const text of texts) if (text) yield encoder.encode(text);
  }

  /** All pages of a table, one after another. */
  private async *pages<T extends TableName>(name: T, query: QueryOfTable<T>): AsyncGenerator<PageOfTable<T>> {
    for (let offset = 0; ; offset += AT_ONCE) {
      const page = await this.page(name, query, { limit: AT_ONCE, offset });
      if (!page) return;
      yield page;
      if ('whole' in TABLE[name] || rowsOf(name, page).length < AT_ONCE) return;
    }
  }

  private async *flat<T extends TableName>(name: T, query: QueryOfTable<T>): AsyncGenerator<FlatRow[]> {
    const flat = TABLE[name].flat as (row: unknown, n: number, page: unknown) => FlatRow;
    let before = 0;
    for await (const page of this.pages(name, query)) {
      const rows = rowsOf(name, page);
      yield rows.map((r, i) => flat(r, before + i, page));
      before += rows.length;
    }
  }

  /** Findings as one JSON array of OCSF events. */
  private async *ocsf<T extends TableName>(name: T, query: QueryOfTable<T>): AsyncGenerator<string> {
    const time = this.clock().getTime();
    let first = true;
    yield '[';
    for await (const page of this.pages(name, query)) {
      const rows = rowsOf(name, page) as FindingRow[];
      yield rows
        .map((r) => JSON.stringify(ocsfFinding({ ...r, ...r.summary }, time, VERSION)))
        .map((event, i) => `${first && i === 0 ? '\n' : ',\n'}${event}`)
        .join('');
      first &&= rows.length === 0;
    }
    yield '\n]\n';
  }
}

/** The rows of a page, whatever it calls them. */
function rowsOf<T extends TableName>(name: T, page: PageOfTable<T>): unknown[] {
  const declared = TABLE[name] as { rowsOf?: (page: unknown) => unknown[] };
  return declared.rowsOf?.(page) ?? (page as { rows: unknown[] }).rows;
}

async function* lines(parts: AsyncIterable<FlatRow[]>, format: 'csv' | 'jsonl'): AsyncGenerator<string> {
  let columns: string[] | undefined;
  for await (const rows of parts) {
    if (format === 'jsonl') {
      yield rows.map((r) => `${JSON.stringify(r)}\n`).join('');
      continue;
    }
    const first = columns === undefined;
    columns ??= Object.keys(rows[0] ?? {});
    const head = first ? `\uFEFF${csvLine(columns)}` : '';
    if (rows.length) yield head + rows.map((r) => csvLine(columns!.map((c) => r[c]))).join('');
  }
}
