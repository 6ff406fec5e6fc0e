import { createReadStream, readFileSync } from 'node:fs';
import { createInterface } from 'node:readline';
import { readHeads } from '../formats/ledger-head.ts';
import { ChainCheck, type LedgerEntry, type LedgerHead } from '../formats/ledger.ts';
import { CliError, fileAt, print, say } from './messages.ts';

interface VerifyOptions {
  head?: string;
  count?: string;
  heads?: string;
  thumbprint?: string;
}

/** What is known of the ledger's end from elsewhere. */
async function expected(o: VerifyOptions): Promise<LedgerHead[]> {
  if (o.heads === undefined) return [];
  fileAt(o.heads);
  if (o.thumbprint === undefined)
    throw new CliError('Say which key signed the heads: --thumbprint T, as the installation tells it.');
  const { heads, bad } = await readHeads(readFileSync(o.heads, 'utf8'), o.thumbprint);
  if (bad.length)
    throw new CliError(`${o.heads}, line ${bad[0]}: this is no head that the key ${o.thumbprint} signed.`);
  return heads;
}

/**
 * Prints whether the chain of an exported ledger holds, and where not; exit code 1 where it does not. A cut end is
 * seen where something is known of it: the last hash, how many entries, or signed heads.
 */
export async function verifyLedger(file: string, options: VerifyOptions = {}): Promise<void> {
  fileAt(file);
  if (options.count !== undefined && !/^\d+$/.test(options.count))
    throw new CliError('--count takes a whole number of entries.');
  const chain = new ChainCheck(await expected(options));
  let line = 0;
  for await (const text of createInterface({ input: createReadStream(file, 'utf8'), crlfDelay: Infinity })) {
    line++;
    if (text === '') continue;
    let entry: LedgerEntry;
    try {
      entry = JSON.parse(text) as LedgerEntry;
      if (
        typeof entry.seq !== 'number' ||
        typeof entry.hash !== 'string' ||
        typeof entry.previous !== 'string'
      )
        throw new Error('not an entry');
    } catch {
      throw new CliError(`${file}, line ${line}: this is not an entry of a ledger.`);
    }
    chain.add(entry);
  }
  const found = chain.result();
  const wrong = !found.holds
    ? undefined
    : options.count !== undefined && found.entries !== Number(options.count)
      ? `it has ${found.entries} entries, not ${options.count}`
      : options.head !== undefined && found.last !== options.head
        ? `its last entry has the hash ${found.last}, not the one that is expected`
        : undefined;
  const result = wrong ? { holds: false, entries: found.entries, seq: found.entries, reason: wrong } : found;
  await print(result);
  if (result.holds && options.head === undefined && options.count === undefined && !options.heads)
    say(
      'Nothing here says where the ledger ends: entries cut off its end are not seen without --heads, --head or --count.',
    );
  if (!result.holds) process.exitCode = 1;
}
