/** An extract as an organisation in memory, with changes applied on the way where asked. */
import { createReadStream, statSync } from 'node:fs';
import { z } from 'zod';
import { OrganisationBuilder, type Organisation } from '../core/access/organisation.ts';
import { AUDIENCES, EXTERNAL_SHARING, ROLES, type GroupRow } from '../core/model.ts';
import { ExtractError, readExtract, type ExtractRows } from '../formats/extract.ts';
import { membersByRule } from '../formats/group-rules.ts';
import { linesOf } from '../formats/lines.ts';
import { complaint } from '../formats/rows.ts';
import { CliError } from './error.ts';

/** One change of a `--without` file (docs/cli.md). */
const changeSchema = z.union([
  z.strictObject({ grant: z.string() }),
  z.strictObject({ link: z.string() }),
  z.strictObject({ member: z.strictObject({ group: z.string(), value: z.string() }) }),
  z.strictObject({
    space: z.string(),
    set: z
      .object({
        visibility: z.enum(['members', 'organisation']).nullable(),
        visibilityRole: z.enum(ROLES).nullable(),
        externalSharing: z.enum(EXTERNAL_SHARING).nullable(),
        editorsShare: z.boolean().nullable(),
        gate: z.array(z.string()).nullable(),
      })
      .partial()
      .strict(),
  }),
  z.strictObject({
    item: z.string(),
    set: z.object({ inherits: z.boolean().nullable(), owner: z.string().nullable() }).partial().strict(),
  }),
  z.strictObject({
    workspace: z.string(),
    set: z
      .object({ externalSharing: z.enum(EXTERNAL_SHARING).nullable() })
      .partial()
      .strict(),
  }),
  z.strictObject({
    grant: z.string(),
    set: z
      .object({ role: z.enum(ROLES), expiresAt: z.string().nullable() })
      .partial()
      .strict(),
  }),
  z.strictObject({
    link: z.string(),
    set: z
      .object({ role: z.enum(ROLES), audience: z.enum(AUDIENCES), expiresAt: z.string().nullable() })
      .partial()
      .strict(),
  }),
]);
type Change = z.infer<typeof changeSchema>;

export interface Changes {
  gone: Set<string>;
  members: Map<string, Set<string>>;
  set: Map<string, Record<string, unknown>>;
}

async function readChanges(file: string): Promise<Changes> {
  if (!statSync(file, { throwIfNoEntry: false })?.isFile())
    throw new CliError(`${file} is not a file that can be read.`);
  const changes: Changes = { gone: new Set(), members: new Map(), set: new Map() };
  for await (const lines of linesOf(createReadStream(file)))
    for (const line of lines) {
      let change: Change;
      try {
        const parsed = changeSchema.safeParse(JSON.parse(line.text ?? ''));
        if (!parsed.success) throw new Error(complaint(parsed.error));
        change = parsed.data;
      } catch (e) {
        throw new CliError(`${file}, line ${line.number}: this is not a change (${(e as Error).message}).`);
      }
      if ('member' in change) {
        const of = changes.members.get(change.member.group) ?? new Set();
        changes.members.set(change.member.group, of.add(change.member.value));
        continue;
      }
      const [kind, id] = Object.entries(change).find(([k]) => k !== 'set') as [string, string];
      const key = `${kind} ${id}`;
      if ('set' in change) changes.set.set(key, { ...changes.set.get(key), ...change.set });
      else changes.gone.add(key);
    }
  return changes;
}

const SINGULAR: Record<keyof ExtractRows, string> = {
  workspaces: 'workspace',
  users: 'user',
  groups: 'group',
  spaces: 'space',
  items: 'item',
  grants: 'grant',
  links: 'link',
};

/** A row with some fields set; null takes a field away. */
function withFields<T extends object>(row: T, fields: Record<string, unknown> | undefined): T {
  return fields
    ? (Object.fromEntries(Object.entries({ ...row, ...fields }).filter(([, v]) => v !== null)) as T)
    : row;
}

/** Reads an extract; what was wrong with it goes to stderr. */
export async function loadOrganisation(path: string, without?: string): Promise<Organisation> {
  const changes = without === undefined ? undefined : await readChanges(without);
  let builder: OrganisationBuilder | undefined;
  const users: { id: string }[] = [];
  const byRule: GroupRow[] = [];
  const complaints: string[] = [];
  try {
    const report = await readExtract(path, {
      manifest: (m) => (builder = new OrganisationBuilder(m.organisation, Date.parse(m.takenAt))),
      row(kind, row, raw) {
        const b = builder!;
        const key = changes && `${SINGULAR[kind]} ${row.id}`;
        if (changes?.gone.has(key!)) return;
        const now = changes ? withFields(row, changes.set.get(key!)) : row;
        if (kind === 'items') b.item(now as ExtractRows['items']);
        else if (kind === 'grants') b.grant(now as ExtractRows['grants']);
        else if (kind === 'links') b.link(now as ExtractRows['links']);
        else if (kind === 'users') {
          b.person(now as ExtractRows['users']);
          users.push(raw as { id: string });
        } else if (kind === 'spaces') b.space(now as ExtractRows['spaces']);
        else if (kind === 'workspaces') b.workspace(now as ExtractRows['workspaces']);
        else {
          let group = now as GroupRow;
          const left = changes?.members.get(group.id);
          if (left) group = { ...group, members: group.members.filter((m) => !left.has(m.value)) };
          if (group.rule) byRule.push(group);
          else b.group(group);
        }
      },
    });
    complaints.push(...report.rejected.map((r) => `${r.file}, line ${r.line}: ${r.reason}`));
    if (report.rejectedCount > report.rejected.length)
      complaints.push(`${report.rejectedCount - report.rejected.length} more lines were rejected`);
  } catch (e) {
    if (e instanceof ExtractError) throw new CliError(e.message);
    throw e;
  }
  for (const group of byRule) {
    let members: string[] = [];
    try {
      members = membersByRule(group.rule!, users);
    } catch (e) {
      complaints.push(
        `group ${group.id}: its rule cannot be read (${(e as Error).message.split('\n')[0]}); it has no members by it`,
      );
    }
    const left = changes?.members.get(group.id);
    const named = new Set(group.members.map((m) => m.value));
    builder!.group({
      ...group,
      members: [
        ...group.members,
        ...members
          .filter((m) => !named.has(m) && !left?.has(m))
          .map((value) => ({ value, type: 'User' as const })),
      ],
    });
  }
  const org = builder!.build();
  for (const p of org.problems) complaints.push(`${p.row}: ${p.reason}`);
  for (const c of complaints.slice(0, 50)) process.stderr.write(`gl: ${c}\n`);
  if (complaints.length > 50) process.stderr.write(`gl: and ${complaints.length - 50} more of the kind\n`);
  return org;
}
