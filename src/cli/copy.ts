/** An extract read and written again: from a zip, CSV or SCIM lists to plain JSON Lines. */
import { existsSync, mkdtempSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { resolve } from 'node:path';
import { ROW_KINDS } from '../core/row-kinds.ts';
import { ExtractError, readExtract, type ExtractReport } from '../formats/extract.ts';
import { DirectoryWriter } from '../formats/write-extract.ts';
import { CliError, print, progress } from './messages.ts';
import { sayReport } from './said-of-data.ts';

/**
 * Writes what could be read as a directory of JSON Lines; what could not be is said on stderr. The directory is
 * written beside its place and put there when it is whole.
 */
export async function copyExtract(from: string, to: string): Promise<void> {
  const place = resolve(to);
  if (existsSync(place) && readdirSync(place).length)
    throw new CliError(`${to} is not empty. Name a directory that is new or empty.`);
  let beside: string | undefined;
  try {
    const report = await copyTo(from, () => (beside = mkdtempSync(`${place}.part-`)));
    sayReport(report);
    renameSync(beside!, place);
    await print({ rows: report.rows, rejected: report.rejected.count });
  } catch (e) {
    if (beside) rmSync(beside, { recursive: true, force: true });
    throw e instanceof ExtractError ? new CliError(e.message) : e;
  }
}

/** Copies an extract to a directory that is made when its manifest was read. */
async function copyTo(from: string, make: () => string): Promise<ExtractReport> {
  let writer: DirectoryWriter | undefined;
  let part = 'body';
  let taken = 0;
  const report = await readExtract(from, {
    progress: (doing, done, of) => progress(doing, done, of, taken),
    manifest: (m) => (writer = new DirectoryWriter(make(), m)),
    row(kind, row, raw) {
      taken++;
      // SCIM resources keep every attribute: rules of groups may ask for any
      writer!.put(`${ROW_KINDS[kind].file}.jsonl`, kind === 'person' || kind === 'group' ? raw : row);
    },
    text(item, of, text) {
      part = of ?? part;
      if (text) writer!.put('content.jsonl', { item, part, text });
    },
    deed: (_, event) => writer!.put('activity.jsonl', event),
    full: () => writer!.flush(),
  });
  await writer!.end();
  return report;
}
