/** What the database's thread works with: PGlite in the data directory, or a PostgreSQL server. */

/** A number for each transaction that is open. */
export type Tx = number;

export interface Backend {
  query(tx: Tx | undefined, sql: string, params: unknown[]): Promise<unknown[]>;
  /** `text` is in COPY text format. */
  copyIn(tx: Tx | undefined, table: string, columns: string[], text: string): Promise<void>;
  copyOut(tx: Tx | undefined, select: string): Promise<Uint8Array>;
  /** Several statements in one text, without parameters. */
  exec(tx: Tx, sql: string): Promise<void>;
  /**
   * Begins a transaction. Transactions wait for each other, so that what one reads and then writes is as it was, whoever
   * else writes. `snapshot`: one that only reads, all as it is at its start; on a server it holds up nobody.
   */
  begin(snapshot?: boolean): Promise<Tx>;
  end(tx: Tx, how: 'commit' | 'rollback'): Promise<void>;
  close(): Promise<void>;
}

export const quote = (name: string): string => `"${name.replaceAll('"', '""')}"`;
export const copyInto = (table: string, columns: readonly string[]): string =>
  `copy ${quote(table)} (${columns.map(quote).join(', ')}) from`;
