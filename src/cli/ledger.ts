import { createReadStream, statSync } from 'node:fs';
import { createInterface } from 'node:readline';
import { ChainCheck, type LedgerEntry } from '../formats/ledger.ts';
import { CliError, print } from './messages.ts';

/** Prints whether the chain of an exported ledger holds, and where not; exit code 1 where it does not. */
export async function verifyLedger(file: string): Promise<void> {
  if (!statSync(file, { throwIfNoEntry: false })?.isFile())
    throw new CliError(`${file} is not a file that can be read.`);
  const chain = new ChainCheck();
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
  const result = chain.result();
  await print(result);
  if (!result.holds) process.exitCode = 1;
}
