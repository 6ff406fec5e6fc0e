/**
 * The ledger as an open format: JSON Lines, each entry carrying the SHA-256 (FIPS 180-4) of its
 * own canonical JSON (RFC 8785) and the hash of the entry before it.
 */
import { createHash } from 'node:crypto';
import canonicalize from 'canonicalize';

export interface LedgerEntry {
  /** 1, 2, 3 … without a gap. */
  seq: number;
  /** RFC 3339, UTC. */
  at: string;
  /** The account's name, or `system`. */
  who: string;
  /** What was done, such as `plan.change.verified`. */
  what: string;
  /** What it was done to. */
  subject: string;
  before: unknown;
  after: unknown;
  /** Hash of the entry before; 64 zeros for the first. */
  previous: string;
  /** SHA-256 of the canonical JSON of all the other fields, hexadecimal. */
  hash: string;
}

export const FIRST_PREVIOUS = '0'.repeat(64);

export function ledgerHash(entry: Omit<LedgerEntry, 'hash'>): string {
  const { seq, at, who, what, subject, before, after, previous } = entry;
  return createHash('sha256')
    .update(canonicalize({ seq, at, who, what, subject, before, after, previous })!)
    .digest('hex');
}

export type ChainResult =
  | { holds: true; entries: number; last: string }
  | { holds: false; entries: number; seq: number; reason: string };

/** Follows a chain entry by entry; feed it in order, then ask for the result. */
export class ChainCheck {
  private entries = 0;
  private previous = FIRST_PREVIOUS;
  private fault: { seq: number; reason: string } | undefined;

  add(entry: LedgerEntry): void {
    if (this.fault) return;
    this.entries++;
    const say = (reason: string) => (this.fault = { seq: entry.seq, reason });
    if (entry.seq !== this.entries) say(`entry ${this.entries} is missing or out of order`);
    else if (entry.previous !== this.previous) say('it does not follow the entry before it');
    else if (ledgerHash(entry) !== entry.hash) say('its content does not have the hash it carries');
    this.previous = entry.hash;
  }

  result(): ChainResult {
    return this.fault
      ? { holds: false, entries: this.entries, ...this.fault }
      : { holds: true, entries: this.entries, last: this.previous };
  }
}
