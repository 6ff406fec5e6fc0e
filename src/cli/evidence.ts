import { readFileSync, statSync } from 'node:fs';
import { checkEvidence, LONGEST_EVIDENCE } from '../formats/evidence.ts';
import { CliError, print } from './messages.ts';

/** Prints whether signed evidence holds, and where not; exit code 1 where it does not. */
export async function verifyEvidence(file: string, options: { thumbprint?: string }): Promise<void> {
  const stat = statSync(file, { throwIfNoEntry: false });
  if (!stat?.isFile()) throw new CliError(`${file} is not a file that can be read.`);
  if (stat.size > LONGEST_EVIDENCE) throw new CliError(`${file} is too large to be evidence of a plan.`);
  const result = await checkEvidence(readFileSync(file, 'utf8'), options.thumbprint);
  await print(result);
  if (!result.holds) process.exitCode = 1;
}
