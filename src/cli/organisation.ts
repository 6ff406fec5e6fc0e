/** An extract as an organisation in memory. */
import { createHash } from 'node:crypto';
import { OrganisationBuilder } from '../core/access/builder.ts';
import type { Organisation, Problem } from '../core/access/organisation.ts';
import type { NamedDeed } from '../core/access/usage.ts';
import type { ItemRow } from '../core/model.ts';
import { momentOf } from '../core/time.ts';
import { Scanner } from '../core/recognise/scan.ts';
import type { Found } from '../core/recognise/types.ts';
import { DATA_TYPES } from '../core/recognise/types/index.ts';
import { ExtractContent } from '../formats/extract-content.ts';
import type { RowOf } from '../core/row-kinds.ts';
import { ExtractError, readExtract, type ExtractReport } from '../formats/extract.ts';
import { GroupsByRule } from '../formats/group-rules.ts';
import { CliError, progress } from './messages.ts';
import { sayProblems, sayReport } from './said-of-data.ts';

/** The moment of `--as-of`, undefined where it is not given. Throws CliError where it is no time. */
export function momentGiven(asOf: string | undefined): number | undefined {
  const moment = asOf === undefined ? undefined : momentOf(asOf);
  if (Number.isNaN(moment))
    throw new CliError(`--as-of ${asOf}: this is not a time such as 2026-03-01T00:00:00Z (RFC 3339).`);
  return moment;
}

interface LoadedExtract {
  org: Organisation;
  /** Rows of the items by id, and what the files hold; where they are wanted. */
  rows: Map<string, ItemRow>;
  found: Map<string, Found[]>;
  /** What activity says, by names; resolved where it is asked for. */
  activity: NamedDeed[];
}

/**
 * Reads an extract; what was wrong with it goes to stderr. Activity, and what files hold, are read only
 * where they are wanted.
 */
export async function loadOrganisation(
  path: string,
  wants: { activity?: boolean; content?: boolean } = {},
): Promise<LoadedExtract> {
  const rows: LoadedExtract['rows'] = new Map();
  const found: LoadedExtract['found'] = new Map();
  const content = new ExtractContent(
    () =>
      new Scanner({
        types: DATA_TYPES,
        keep: 0,
        hash: (type, value) => createHash('sha256').update(`${type}\0${value}`).digest('base64'),
      }),
  );
  const activity: LoadedExtract['activity'] = [];
  let builder: OrganisationBuilder | undefined;
  const byRule = new GroupsByRule();
  let taken = 0;
  let report: ExtractReport;
  try {
    report = await readExtract(path, {
      progress: (doing, done, of) => progress(doing, done, of, taken),
      ...(wants.activity && { deed: (d) => void activity.push(d) }),
      ...(wants.content && { text: (item, part, text) => content.text(item, part, text) }),
      manifest(m) {
        builder = new OrganisationBuilder(m.organisation, momentOf(m.takenAt));
        for (const w of m.workspaces) builder.workspace(w);
      },
      row(kind, row, raw) {
        taken++;
        const b = builder!;
        if (kind === 'item') {
          const item = row as RowOf['item'];
          b.item(item);
          if (!wants.content) return;
          if (!rows.has(item.id)) rows.set(item.id, item);
          if (item.kind === 'file') content.file(item.id, item.name);
        } else if (kind === 'grant') b.grant(row as RowOf['grant']);
        else if (kind === 'link') b.link(row as RowOf['link']);
        else if (kind === 'person') {
          b.person(row as RowOf['person']);
          byRule.user(raw as { id: string });
        } else if (kind === 'space') b.space(row as RowOf['space']);
        else if (kind === 'group' && !byRule.group(row as RowOf['group'])) b.group(row as RowOf['group']);
      },
    });
  } catch (e) {
    if (e instanceof ExtractError) throw new CliError(e.message);
    throw e;
  }
  sayReport(report);
  const rules: Problem[] = [];
  for (const { group, complaint } of byRule.resolve()) {
    builder!.group(group);
    if (complaint) rules.push({ row: `group ${group.id}`, reason: complaint });
  }
  const org = builder!.build();
  sayProblems([...rules, ...org.problems]);
  if (wants.content) for (const c of content.finish()) if (c.found.length) found.set(c.item, c.found);
  return { org, rows, found, activity };
}
