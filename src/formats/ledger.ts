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

/** The end of a ledger at a moment: its last entry's number and hash. */
export interface LedgerHead {
  seq: number;
  hash: string;
  /** RFC 3339, UTC: when it was the end. */
  at: string;
}

/** `heads`: how many heads that were kept apart are in the chain. */
export type ChainResult =
  | { holds: true; entries: number; last: string; heads: number }
  | { holds: false; entries: number; seq: number; reason: string };

/**
 * Follows a chain entry by entry; feed it in order, then ask for the result. A chain alone does not show that its end
 * was cut off, or that all of it was made anew: `heads`, which were kept apart, do.
 */
export class ChainCheck {
  private entries = 0;
  private previous = FIRST_PREVIOUS;
  private fault: { seq: number; reason: string } | undefined;
  private readonly heads: ReadonlyMap<number, LedgerHead>;
  private met = 0;

  constructor(heads: readonly LedgerHead[] = []) {
    this.heads = new Map(heads.map((h) => [h.seq, h]));
  }

  add(entry: LedgerEntry): void {
    if (this.fault) return;
    this.entries++;
    const say = (reason: string) => (this.fault = { seq: entry.seq, reason });
    if (entry.seq !== this.entries) say(`entry ${this.entries} is missing or out of order`);
    else if (entry.previous !== this.previous) say('it does not follow the entry before it');
    else if (ledgerHash(entry) !== entry.hash) say('its content does not have the hash it carries');
    const head = this.heads.get(entry.seq);
    if (head && head.hash !== entry.hash) say(`it is not the entry that was the last one ${whenOf(head)}`);
    else if (head) this.met++;
    this.previous = entry.hash;
  }

  result(): ChainResult {
    const beyond = [...this.heads.values()].filter((h) => h.seq > this.entries);
    const last = beyond.sort((a, b) => b.seq - a.seq)[0];
    const fault =
      this.fault ??
      (last && {
        seq: this.entries + 1,
        reason: `the ledger ends before it, and there was an entry ${last.seq} ${whenOf(last)}`,
      });
    return fault
      ? { holds: false, entries: this.entries, ...fault }
      : { holds: true, entries: this.entries, last: this.previous, heads: this.met };
  }
}

const whenOf = ({ at }: LedgerHead): string => (at ? `on ${at}` : 'as it is expected');
