import { createHash } from 'node:crypto';
import { createReadStream, statSync } from 'node:fs';
import { basename } from 'node:path';
import { Scanner } from '../core/recognise/engine.ts';
import { DATA_TYPES } from '../core/recognise/types/index.ts';
import { CliError, print } from './error.ts';

/** UTF-8, or UTF-16 where a byte order mark says so. */
function encodingOf(first: Uint8Array): string {
  if (first[0] === 0xff && first[1] === 0xfe) return 'utf-16le';
  return first[0] === 0xfe && first[1] === 0xff ? 'utf-16be' : 'utf-8';
}

/** Prints `{file, dataType, distinct, occurrences, certainty, matches}` for each file and data type found in it. */
export async function classify(files: string[], minCertainty: string): Promise<void> {
  const least = Number(minCertainty);
  if (!Number.isInteger(least) || least < 0 || least > 100)
    throw new CliError('--min-certainty takes a whole number from 0 to 100.');
  for (const file of files) {
    if (!statSync(file, { throwIfNoEntry: false })?.isFile())
      throw new CliError(`${file} is not a file that can be read.`);
    // values are told apart within one run; nothing of them is kept
    const scanner = new Scanner({
      types: DATA_TYPES,
      minCertainty: least,
      keep: Infinity,
      hash: (type, value) => createHash('sha256').update(`${type}\0${value}`).digest('base64'),
    });
    scanner.fileName(basename(file));
    scanner.begin('body');
    let decoder: TextDecoder | undefined;
    try {
      for await (const chunk of createReadStream(file, { highWaterMark: 1 << 20 })) {
        decoder ??= new TextDecoder(encodingOf(chunk as Uint8Array));
        scanner.feed(decoder.decode(chunk as Uint8Array, { stream: true }));
      }
    } catch (e) {
      throw new CliError(`${file} could not be read: ${(e as Error).message}`);
    }
    scanner.feed(decoder?.decode() ?? '');
    for (const found of scanner.finish())
      await print({
        file,
        dataType: found.dataType,
        distinct: found.distinct,
        occurrences: found.occurrences,
        certainty: found.certainty,
        matches: found.matches.map(({ part, start, end, masked, certainty, reasons }) => ({
          part,
          start,
          end,
          masked,
          certainty,
          reasons,
        })),
      });
  }
}
