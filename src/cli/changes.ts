/** The changes of a `--without` file (docs/cli.md), one a line. */
import { createReadStream } from 'node:fs';
import type { Change } from '../core/access/change.ts';
import { changeSchema } from '../formats/changes.ts';
import { linesOf } from '../formats/lines.ts';
import { complaint } from '../formats/rows.ts';
import { CliError, fileAt } from './messages.ts';

export async function readChanges(file: string): Promise<Change[]> {
  fileAt(file);
  const changes: Change[] = [];
  for await (const lines of linesOf(createReadStream(file)))
    for (const line of lines)
      try {
        const parsed = changeSchema.safeParse(JSON.parse(line.text ?? ''));
        if (!parsed.success) throw new Error(complaint(parsed.error));
        changes.push(parsed.data);
      } catch (e) {
        throw new CliError(`${file}, line ${line.number}: this is not a change (${(e as Error).message}).`);
      }
  return changes;
}
