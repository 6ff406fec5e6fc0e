/** An extract read and written again: from a zip, CSV or SCIM lists to plain JSON Lines. */
import { existsSync, readdirSync } from 'node:fs';
import { ROW_KINDS } from '../core/row-kinds.ts';
import { ExtractError, readExtract } from '../formats/extract.ts';
import { DirectoryWriter } from '../formats/write-extract.ts';
import { CliError, print } from './error.ts';

/** Writes what could be read as a directory of JSON Lines; what could not be is said on stderr. */
export async function copyExtract(from: string, to: string): Promise<void> {
  if (existsSync(to) && readdirSync(to).length)
    throw new CliError(`${to} is not empty. Name a directory that is new or empty.`);
  let writer: DirectoryWriter | undefined;
  let part = 'body';
  try {
    const report = await readExtract(from, {
      manifest: (m) => (writer = new DirectoryWriter(to, m)),
      row(kind, row, raw) {
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
    for (const r of report.rejected) process.stderr.write(`gl: ${r.file}, line ${r.line}: ${r.reason}\n`);
    await print({ rows: report.rows, rejected: report.rejectedCount });
  } catch (e) {
    if (e instanceof ExtractError) throw new CliError(e.message);
    throw e;
  }
}
