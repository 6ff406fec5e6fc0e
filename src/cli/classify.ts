import { createHash } from 'node:crypto';
import { createReadStream, readdirSync, readFileSync, statSync } from 'node:fs';
import { basename, join } from 'node:path';
import { failingCases, type CompiledCustom } from '../core/recognise/custom.ts';
import { Scanner } from '../core/recognise/scan.ts';
import { PARTS } from '../core/model.ts';
import { DATA_TYPES, dataType } from '../core/recognise/types/index.ts';
import { readCustomTypes } from '../formats/custom-type.ts';
import { scanFile } from '../formats/scan.ts';
import { CliError, print, say } from './messages.ts';

/** Prints `{file, dataType, distinct, occurrences, certainty, matches}` for each file and data type found in it. */
export async function classify(
  paths: string[],
  options: { minCertainty: string; types?: string; parts?: string; custom?: string },
): Promise<void> {
  const least = Number(options.minCertainty);
  if (!Number.isInteger(least) || least < 0 || least > 100)
    throw new CliError('--min-certainty takes a whole number from 0 to 100.');
  const all = options.custom ? customTypes(options.custom) : [];
  const wanted = options.types?.split(',').map((id) => id.trim());
  const unknown = wanted?.find((id) => !dataType(id) && !all.some((c) => c.type.id === id));
  if (unknown !== undefined) throw new CliError(`There is no data type ${unknown}. “gl types” lists them.`);
  const custom = wanted ? all.filter((c) => wanted.includes(c.type.id)) : all;
  const types = wanted
    ? DATA_TYPES.filter((t) => wanted.includes(t.id) || custom.some((c) => c.needs.has(t.id)))
    : DATA_TYPES;
  const parts = options.parts?.split(',').map((p) => p.trim());
  const wrong = parts?.find((p) => !(PARTS as readonly string[]).includes(p));
  if (wrong !== undefined) throw new CliError(`There is no part ${wrong}. Parts are ${PARTS.join(', ')}.`);
  for (const file of paths.flatMap(filesAt)) {
    // values are told apart within one run; nothing of them is kept
    const scanner = new Scanner({
      types,
      custom,
      minCertainty: least,
      keep: Infinity,
      hash: (type, value) => createHash('sha256').update(`${type}\0${value}`).digest('base64'),
    });
    scanner.fileName(basename(file));
    try {
      const { left } = await scanFile(scanner, createReadStream(file, { highWaterMark: 1 << 20 }));
      for (const reason of left) say(`${file}: not fully scanned: ${reason}`);
    } catch (e) {
      throw new CliError(`${file} could not be read: ${(e as Error).message}`);
    }
    for (const found of scanner.finish()) {
      if (wanted && !wanted.includes(found.dataType)) continue;
      const matches = parts ? found.matches.filter((m) => parts.includes(m.part)) : found.matches;
      if (parts && !matches.length) continue;
      await print({
        file,
        dataType: found.dataType,
        distinct: found.distinct,
        occurrences: parts ? matches.length : found.occurrences,
        certainty: parts ? Math.max(...matches.map((m) => m.certainty)) : found.certainty,
        matches: matches.map(({ part, where, start, end, masked, certainty, reasons }) => ({
          part,
          ...(where && { where }),
          start,
          end,
          masked,
          certainty,
          reasons,
        })),
      });
    }
  }
}

/** A file, or every file below a directory. */
function filesAt(path: string): string[] {
  const at = statSync(path, { throwIfNoEntry: false });
  if (at?.isFile()) return [path];
  if (!at?.isDirectory()) throw new CliError(`${path} is not a file that can be read.`);
  return readdirSync(path, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name))
    .sort();
}

/** Prints `{id, name, weight, country, source}` for each data type. */
export async function listTypes(): Promise<void> {
  for (const { id, name, weight, country, source } of DATA_TYPES)
    await print({ id, name, weight, ...(country && { country }), source });
}

function customTypes(file: string): CompiledCustom[] {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch {
    throw new CliError(`${file} is not a file that can be read.`);
  }
  const { compiled, wrong } = readCustomTypes(text, (id) => dataType(id) !== undefined);
  if (wrong.length) throw new CliError(`${file}:\n${wrong.map((w) => `  ${w}`).join('\n')}`);
  return compiled;
}

/** Runs the cases of custom types; prints `{id, cases, failed}` for each. Exit code 1 where one fails. */
export async function testTypes(file: string): Promise<void> {
  for (const compiled of customTypes(file)) {
    const failed = failingCases(compiled.type, compiled, (text, custom) => {
      const scanner = new Scanner({ types: DATA_TYPES, custom, hash: (type, value) => `${type} ${value}` });
      scanner.begin('body');
      scanner.feed(text);
      return scanner.finish();
    });
    await print({ id: compiled.type.id, cases: compiled.type.cases.length, failed });
    if (failed.length) process.exitCode = 1;
  }
}
