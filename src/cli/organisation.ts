/** An extract as an organisation in memory. */
import { createHash } from 'node:crypto';
import { OrganisationBuilder } from '../core/access/builder.ts';
import type { Organisation } from '../core/access/organisation.ts';
import type { NamedDeed } from '../core/access/usage.ts';
import type { ItemRow } from '../core/model.ts';
import { Scanner } from '../core/recognise/scan.ts';
import type { Found } from '../core/recognise/types.ts';
import { DATA_TYPES } from '../core/recognise/types/index.ts';
import { ExtractContent } from '../formats/extract-content.ts';
import type { RowOf } from '../core/row-kinds.ts';
import { ExtractError, readExtract } from '../formats/extract.ts';
import { GroupsByRule } from '../formats/group-rules.ts';
import { CliError } from './error.ts';

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
  const complaints: string[] = [];
  try {
    const report = await readExtract(path, {
      ...(wants.activity && { deed: (d) => void activity.push(d) }),
      ...(wants.content && { text: (item, part, text) => content.text(item, part, text) }),
      manifest(m) {
        builder = new OrganisationBuilder(m.organisation, Date.parse(m.takenAt));
        for (const w of m.workspaces) builder.workspace(w);
      },
      row(kind, row, raw) {
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
    complaints.push(...report.rejected.map((r) => `${r.file}, line ${r.line}: ${r.reason}`));
    if (report.rejectedCount > report.rejected.length)
      complaints.push(`${report.rejectedCount - report.rejected.length} more lines were rejected`);
  } catch (e) {
    if (e instanceof ExtractError) throw new CliError(e.message);
    throw e;
  }
  for (const { group, complaint } of byRule.resolve()) {
    builder!.group(group);
    if (complaint) complaints.push(complaint);
  }
  const org = builder!.build();
  for (const p of org.problems) complaints.push(`${p.row}: ${p.reason}`);
  for (const c of complaints.slice(0, 50)) process.stderr.write(`gl: ${c}\n`);
  if (complaints.length > 50) process.stderr.write(`gl: and ${complaints.length - 50} more of the kind\n`);
  if (wants.content) for (const c of content.finish()) if (c.found.length) found.set(c.item, c.found);
  return { org, rows, found, activity };
}
