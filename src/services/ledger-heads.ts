/**
 * Heads of the ledger, signed every while and on demand, and kept apart from the database: whoever can write there can
 * cut off the ledger’s end or make all of it anew, and not these. Where they are published is set by
 * GATE_LANTERN_LEDGER_HEADS: a file, best on another machine’s disk, or an https address that takes each as a POST.
 */
import { appendFileSync, existsSync, readFileSync } from 'node:fs';
import type { ChainResult, LedgerHead } from '../formats/ledger.ts';
import { readHeads, signHead } from '../formats/ledger-head.ts';
import type { Db } from '../store/db.ts';
import type { Ledger } from './ledger.ts';
import type { SigningKey } from './signing-key.ts';
import { log } from './log.ts';

const EVERY_MS = 10 * 60_000;

export class LedgerHeads {
  private timer: NodeJS.Timeout | undefined;
  private last = 0;

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly key: SigningKey,
    /** A file beside the database, to which heads are added. */
    private readonly file: string,
    private readonly publishTo: string | undefined,
    private readonly clock: () => Date,
  ) {}

  /** Signs now, and from now on every ten minutes in which something was done. */
  start(): void {
    const sign = (): void => {
      this.sign().catch((e: unknown) => log.error({ err: e }, 'a head of the ledger could not be signed'));
    };
    sign();
    this.timer = setInterval(sign, EVERY_MS);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  /** Signs the ledger’s head as it is, unless it is signed already; undefined of an empty ledger. */
  async sign(): Promise<{ head: LedgerHead; jws: string } | undefined> {
    const [entry] = await this.db.query<{ seq: number; hash: string }>(
      'select seq, hash from ledger order by seq desc limit 1',
    );
    if (!entry) return undefined;
    const head = { seq: entry.seq, hash: entry.hash, at: this.clock().toISOString() };
    const jws = await signHead(head, await this.key.private());
    if (entry.seq === this.last) return { head, jws };
    appendFileSync(this.file, `${jws}\n`, { mode: 0o600 });
    this.last = entry.seq;
    await this.publish(jws);
    return { head, jws };
  }

  private async publish(jws: string): Promise<void> {
    const to = this.publishTo;
    if (!to) return;
    if (!/^https?:/.test(to)) return appendFileSync(to, `${jws}\n`, { mode: 0o600 });
    const answer = await fetch(to, {
      method: 'POST',
      headers: { 'content-type': 'application/jose' },
      body: jws,
      redirect: 'error',
      signal: AbortSignal.timeout(15_000),
    });
    await answer.body?.cancel();
    if (!answer.ok) throw new Error(`${new URL(to).host} answered ${answer.status}`);
  }

  /** All that were signed, one JWS a line. */
  text(): string {
    return existsSync(this.file) ? readFileSync(this.file, 'utf8') : '';
  }

  /** Whether the chain holds, and ends no sooner than the heads say. */
  async check(): Promise<ChainResult> {
    const { thumbprint } = await this.key.public();
    const { heads, bad } = await readHeads(this.text(), thumbprint);
    const result = await this.ledger.check(heads);
    if (!bad.length || !result.holds) return result;
    return {
      holds: false,
      entries: result.entries,
      seq: result.entries,
      reason: `line ${bad[0]} of the signed heads beside the database does not hold`,
    };
  }
}
