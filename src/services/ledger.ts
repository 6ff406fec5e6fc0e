/** The ledger: one chain of everything done. */
import {
  ChainCheck,
  FIRST_PREVIOUS,
  ledgerHash,
  type ChainResult,
  type LedgerEntry,
} from '../formats/ledger.ts';
import { compileFilter, type Getters } from '../core/filter/filter.ts';
import type { Db } from '../store/db.ts';
import { storableJson } from '../store/observed.ts';

export interface Deed {
  who: string;
  what: string;
  subject: string;
  before?: unknown;
  after?: unknown;
}

const FIELDS: Getters<LedgerEntry, 'ledger'> = {
  text: (r) => `${r.who} ${r.what} ${r.subject}`.toLowerCase(),
  seq: (r) => r.seq,
  who: (r) => r.who,
  what: (r) => r.what,
  subject: (r) => r.subject,
  at: (r) => Date.parse(r.at),
};

export class Ledger {
  constructor(
    private readonly db: Db,
    private readonly clock: () => Date,
  ) {}

  /** Adds an entry. Given the transaction of the deed itself, both are kept or neither is. */
  async add(deed: Deed, tx?: Db): Promise<void> {
    if (!tx) return this.db.transaction((own) => this.add(deed, own));
    const [last] = await tx.query<{ seq: number; hash: string }>(
      'select seq, hash from ledger order by seq desc limit 1',
    );
    // what the chain is made over is what comes back out of jsonb, so both are plain JSON
    const plain = (v: unknown): unknown =>
      v === undefined ? null : (JSON.parse(storableJson(v)) as unknown);
    const entry = {
      seq: (last?.seq ?? 0) + 1,
      at: this.clock().toISOString(),
      who: deed.who,
      what: deed.what,
      subject: deed.subject,
      before: plain(deed.before),
      after: plain(deed.after),
      previous: last?.hash ?? FIRST_PREVIOUS,
    };
    const json = (v: unknown) => (v === null ? null : JSON.stringify(v));
    await tx.query(
      'insert into ledger (seq, at, who, what, subject, before, after, previous, hash) values ($1, $2, $3, $4, $5, $6::jsonb, $7::jsonb, $8, $9)',
      [
        entry.seq,
        entry.at,
        entry.who,
        entry.what,
        entry.subject,
        json(entry.before),
        json(entry.after),
        entry.previous,
        ledgerHash(entry),
      ],
    );
  }

  /** Entries before a number, newest first. */
  page(before: number | undefined, limit: number, what?: string): Promise<LedgerEntry[]> {
    return this.db.query<LedgerEntry>(
      "select * from ledger where seq < coalesce($1, 2147483647) and ($3::text is null or what like $3 || '%' or who = $3 or subject ilike '%' || $3 || '%') order by seq desc limit $2",
      [before ?? null, limit, what ?? null],
    );
  }

  /** The same of those that a condition over `FIELDS.ledger` holds of: read until there are enough. */
  async pageWhere(before: number | undefined, limit: number, what: string | undefined, where: string): Promise<LedgerEntry[]> {
    const test = compileFilter(where, 'ledger', FIELDS, this.clock().getTime());
    const found: LedgerEntry[] = [];
    for (let from = before; found.length < limit;) {
      const rows = await this.page(from, 1000, what);
      found.push(...rows.filter(test));
      if (rows.length < 1000) break;
      from = rows[rows.length - 1]!.seq;
    }
    return found.slice(0, limit);
  } // prettier-ignore

  /** All entries, oldest first, a thousand at a time. */
  async *all(): AsyncGenerator<LedgerEntry[]> {
    for (let from = 0; ;) {
      const rows = await this.db.query<LedgerEntry>(
        'select * from ledger where seq > $1 order by seq limit 1000',
        [from],
      );
      if (rows.length === 0) return;
      yield rows;
      from = rows[rows.length - 1]!.seq;
    }
  }

  async check(): Promise<ChainResult> {
    const chain = new ChainCheck();
    for await (const rows of this.all()) rows.forEach((r) => chain.add(r));
    return chain.result();
  }

  async count(): Promise<number> {
    return (await this.db.query<{ n: number }>('select count(*)::int as n from ledger'))[0]!.n;
  }
}
