import { readFileSync } from 'node:fs';
import { checkEvidence, LONGEST_EVIDENCE, thumbprintOf } from '../formats/evidence.ts';
import { CliError, complain, fileAt, print } from './messages.ts';

/**
 * Prints whether signed evidence holds, and where not. Exit code 1 where it does not, and where nothing says whose the
 * key is that signed it: anybody can sign with a key of their own. `key`: a file with the public key, as a JWK.
 */
export async function verifyEvidence(
  file: string,
  options: { thumbprint?: string; key?: string },
): Promise<void> {
  const read = (path: string): string => {
    if (fileAt(path).size > LONGEST_EVIDENCE)
      throw new CliError(`${path} is too large to be evidence of a plan.`);
    return readFileSync(path, 'utf8');
  };
  const thumbprint = options.key === undefined ? options.thumbprint : await thumbprintOf(read(options.key));
  if (options.key !== undefined && thumbprint === undefined)
    throw new CliError(`${options.key} does not hold a public key (JWK, RFC 7517).`);
  const result = await checkEvidence(read(file), thumbprint);
  const known = result.holds && thumbprint !== undefined;
  await print(result.holds ? { ...result, key: known ? 'as named' : 'unknown' } : result);
  if (result.holds && !known)
    complain(
      `It is signed by an unknown key, ${result.signedBy}. Say which key you trust: --thumbprint T, or --key FILE.`,
    );
  if (!known) process.exitCode = 1;
}
