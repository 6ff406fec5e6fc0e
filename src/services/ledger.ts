/** The ledger: one chain of everything done. */
import {
  ChainCheck,
  FIRST_PREVIOUS,
  ledgerHash,
  type ChainResult,
  type LedgerEntry,
  type LedgerHead,
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
  /** Called with each entry, in the transaction that keeps it. */
  onAdded: (tx: Db, deed: Deed, seq: number) => Promise<void> = () => Promise.resolve();

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
    await this.onAdded(tx, deed, entry.seq);
  }

  /** A page of the entries that fit: a text in what was done and to what, or the name of who did it, and a condition. */
  async rows(
    q: { text?: string | undefined; where?: string | undefined; down: boolean },
    page: { limit: number; offset: number },
  ): Promise<LedgerEntry[]> {
    const test = compileFilter(q.where, 'ledger', FIELDS, this.clock().getTime());
    const read = (limit: number, offset: number): Promise<LedgerEntry[]> =>
      this.db.query<LedgerEntry>(
        `select * from ledger where $3::text is null or what like $3 || '%' or who = $3 or subject ilike '%' || $3 || '%'
         order by seq ${q.down ? 'desc' : 'asc'} limit $1 offset $2`,
        [limit, offset, q.text || null],
      );
    if (!q.where) return read(page.limit, page.offset);
    // a condition is asked of each entry here, so entries are read until there are enough that fit
    const found: LedgerEntry[] = [];
    for (let at = 0; found.length < page.offset + page.limit; at += 1000) {
      const rows = await read(1000, at);
      found.push(...rows.filter(test));
      if (rows.length < 1000) break;
    }
    return found.slice(page.offset, page.offset + page.limit);
  }

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

  /** Follows the chain; `heads`: what was kept apart of its end at moments before. */
  async check(heads: readonly LedgerHead[] = []): Promise<ChainResult> {
    const chain = new ChainCheck(heads);
    for await (const rows of this.all()) rows.forEach((r) => chain.add(r));
    return chain.result();
  }

  async count(): Promise<number> {
    return (await this.db.query<{ n: number }>('select count(*)::int as n from ledger'))[0]!.n;
  }
}
