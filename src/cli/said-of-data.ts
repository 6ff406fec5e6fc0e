/** What is wrong with an extract: said on stderr, and where it is too much, refused. */
import type { Problem } from '../core/access/organisation.ts';
import { placeOf, type Complaints, type ExtractReport } from '../formats/extract.ts';
import { CliError, say, settings } from './messages.ts';

const some = (n: number, one: string): string => `${n.toLocaleString('en')} ${one}${n === 1 ? '' : 's'}`;

/** Says the first of each file, and how many there are; or all that were kept. */
function sayOf(
  list: Iterable<readonly [of: string, words: string]>,
  counts: ReadonlyMap<string, number>,
): void {
  const said = new Map<string, number>();
  for (const [of, words] of list) {
    const before = said.get(of) ?? 0;
    said.set(of, before + 1);
    const more = counts.get(of)! - 1;
    if (settings.warnings) say(words);
    else if (!before) say(more ? `${words} (and ${more.toLocaleString('en')} more in ${of})` : words);
  }
  if (settings.warnings)
    for (const [of, n] of counts)
      if (n > (said.get(of) ?? 0)) say(`${of}: and ${(n - (said.get(of) ?? 0)).toLocaleString('en')} more`);
}

const sayComplaints = (c: Complaints): void =>
  sayOf(
    c.first.map((one) => [one.file, `${placeOf(one)}: ${one.reason}`] as const),
    c.counts,
  );

/** Says what was wrong with lines and files. Throws CliError where none was left, or where `--strict` is given. */
export function sayReport({ rejected, remarks, rows }: ExtractReport): void {
  sayComplaints(rejected);
  sayComplaints(remarks);
  if (!rejected.count) return;
  const { workspaces: _, ...others } = rows;
  const taken = Object.values(others).reduce((sum, n) => sum + n, 0);
  if (!taken) throw new CliError('Nothing in the extract could be read.');
  const what = `Not read: ${some(rejected.count, 'line')} or files; read: ${some(taken, 'row')}`;
  if (settings.strict) throw new CliError(`${what}. With --strict nothing may be left out.`);
  say(`${what}${settings.warnings ? '' : '; --warnings lists all of it'}`);
}

/** Says what is wrong between rows that were read. */
export function sayProblems(problems: readonly Problem[]): void {
  const kindOf = (p: Problem): string => `${p.row.split(' ')[0]} rows`;
  const counts = new Map<string, number>();
  for (const p of problems) counts.set(kindOf(p), (counts.get(kindOf(p)) ?? 0) + 1);
  sayOf(
    problems.map((p) => [kindOf(p), `${p.row}: ${p.reason}`] as const),
    counts,
  );
}
