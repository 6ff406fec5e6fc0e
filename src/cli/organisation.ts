/** An extract as an organisation in memory. */
import { OrganisationBuilder } from '../core/access/builder.ts';
import type { Organisation, Problem } from '../core/access/organisation.ts';
import { reach, type ReachColumns } from '../core/access/reach.ts';
import type { NamedDeed, Usage } from '../core/access/usage.ts';
import { view, type View } from '../core/access/view.ts';
import type { AppGrantRow, AppRow, GrantRow, ItemRow, LinkRow } from '../core/model.ts';
import { NO_CHARTERS } from '../core/ask/charter.ts';
import { spaceFacts, type SpaceFacts } from '../core/ask/spaces.ts';
import { momentOf } from '../core/time.ts';
import type { ExtractContent } from '../formats/extract-content.ts';
import type { RowOf } from '../core/row-kinds.ts';
import { ExtractError, readExtract, type ExtractReport } from '../formats/extract.ts';
import { GroupsByRule } from '../formats/group-rules.ts';
import { CliError, progress } from './messages.ts';
import { sayProblems, sayReport } from './said-of-data.ts';

/** The moment of `--as-of`, undefined where it is not given. Throws CliError where it is no time. */
function momentGiven(asOf: string | undefined): number | undefined {
  const moment = asOf === undefined ? undefined : momentOf(asOf);
  if (Number.isNaN(moment))
    throw new CliError(`--as-of ${asOf}: this is not a time such as 2026-03-01T00:00:00Z (RFC 3339).`);
  return moment;
}

/** What is wanted of an extract beside the organisation. */
interface Wants {
  activity?: boolean;
  /** Is given the names and the text of files. */
  content?: ExtractContent;
  /** Is given each item, the first of its id alone. */
  item?(row: ItemRow): void;
  /** Is given each grant and link that was taken, in their order. */
  entry?(row: GrantRow | LinkRow): void;
}

interface LoadedExtract {
  org: Organisation;
  /** What activity says, by names; resolved where it is asked for. */
  activity: NamedDeed[];
  apps: AppRow[];
  appGrants: AppGrantRow[];
}

/** Keeps a row where there is none of its id. */
const first = <Row extends { id: string }>(kept: Map<string, Row>, row: Row): void => {
  if (!kept.has(row.id)) kept.set(row.id, row);
};

/** Reads an extract; what was wrong with it goes to stderr. */
async function loadOrganisation(path: string, wants: Wants = {}): Promise<LoadedExtract> {
  const { content } = wants;
  const activity: LoadedExtract['activity'] = [];
  const apps = new Map<string, AppRow>();
  const appGrants = new Map<string, AppGrantRow>();
  let builder: OrganisationBuilder | undefined;
  const byRule = new GroupsByRule();
  let taken = 0;
  let report: ExtractReport;
  try {
    report = await readExtract(path, {
      progress: (doing, done, of) => progress(doing, done, of, taken),
      ...(wants.activity && { deed: (d) => void activity.push(d) }),
      ...(content && { text: (item, part, text) => content.text(item, part, text) }),
      manifest(m) {
        builder = new OrganisationBuilder(m.organisation, momentOf(m.takenAt));
        for (const w of m.workspaces) builder.workspace(w);
      },
      row(kind, row, raw) {
        taken++;
        const b = builder!;
        if (kind === 'item') {
          const item = row as RowOf['item'];
          if (!b.item(item)) return;
          wants.item?.(item);
          if (item.kind === 'file') content?.file(item.id, item.name);
        } else if (kind === 'grant') {
          if (b.grant(row as RowOf['grant'])) wants.entry?.(row as RowOf['grant']);
        } else if (kind === 'link') {
          if (b.link(row as RowOf['link'])) wants.entry?.(row as RowOf['link']);
        } else if (kind === 'person') {
          b.person(row as RowOf['person']);
          byRule.user(raw as { id: string });
        } else if (kind === 'app') {
          first(apps, row as RowOf['app']);
        } else if (kind === 'appGrant') {
          first(appGrants, row as RowOf['appGrant']);
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
  return { org, activity, apps: [...apps.values()], appGrants: [...appGrants.values()] };
}

interface Viewed extends LoadedExtract {
  view: View;
  /** By item: 1 for a file. */
  isFile: Uint8Array;
}

/** Reads an extract, as it is at a moment. */
export async function openView(dir: string, options: { asOf?: string }, wants: Wants = {}): Promise<Viewed> {
  const moment = momentGiven(options.asOf);
  const files: string[] = [];
  const loaded = await loadOrganisation(dir, {
    ...wants,
    item(row) {
      wants.item?.(row);
      if (row.kind === 'file') files.push(row.id);
    },
  });
  const { org } = loaded;
  const isFile = new Uint8Array(org.itemIds.length);
  for (const id of files) {
    const i = org.find('item', id);
    if (i >= 0) isFile[i] = 1;
  }
  return { ...loaded, view: view(org, moment === undefined ? {} : { moment }), isFile };
}

export interface Judged extends Viewed {
  columns: ReachColumns;
}

/** Reads an extract, and who can reach what in it. */
export async function openJudged(dir: string, options: { asOf?: string }, wants: Wants): Promise<Judged> {
  const viewed = await openView(dir, options, wants);
  return { ...viewed, columns: reach(viewed.view) };
}

/** What is asked of the spaces of an extract beside their access. `modifiedAt`: by number of the item. */
export const spacesIn = (
  { org, view: v }: Viewed,
  usage: () => Usage,
  modifiedAt: (item: number) => string | undefined,
): SpaceFacts =>
  spaceFacts({
    view: v,
    usage,
    modified: () => Float64Array.from(org.itemSpace, (_, i) => momentOf(modifiedAt(i) ?? '') || 0),
    charters: () => NO_CHARTERS,
    group: (named) => org.groups.find((g) => g.id === named || g.name === named)?.id,
  });
