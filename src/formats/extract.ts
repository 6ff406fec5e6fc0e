/** Reading the bulk extract, version 1 (docs/extract.md): a directory, or a .zip of one, streamed. */
import { z } from 'zod';
import { parseJson } from './json.ts';
import { activityOf, eventSchema, type ActivityEvent } from './activity.ts';
import { ExtractError, openContainer, type Container, type Member } from './container.ts';
import { peopleFile } from './people-files.ts';
import { isAddress } from '../core/access/addresses.ts';
import { PARTS, ROLES, type OrganisationRow, type Part, type WorkspaceRow } from '../core/model.ts';
import { kindOfFile, KINDS, ROW_KINDS, type RowKind, type RowOf } from '../core/row-kinds.ts';
import { momentOf } from '../core/time.ts';
import { linesOf, type Line } from './lines.ts';
import { complaint, fieldsOf, ROW_SCHEMAS, timeSchema, workspaceSchema } from './rows.ts';

export { ExtractError };

export interface Manifest {
  takenAt: string;
  organisation: OrganisationRow;
  workspaces: WorkspaceRow[];
}

/** What is wrong in an extract, and where: a line, or a whole file. */
export interface Complaint {
  file: string;
  line?: number;
  reason: string;
}

/** The first thousand of what is wrong, and how many there are in all. */
export class Complaints {
  readonly first: Complaint[] = [];
  /** How many there are of each file. */
  readonly counts = new Map<string, number>();
  count = 0;

  add(complaint: Complaint): void {
    this.count++;
    this.counts.set(complaint.file, (this.counts.get(complaint.file) ?? 0) + 1);
    if (this.first.length < 1000) this.first.push(complaint);
  }
}

/** Where a complaint is about: `users.jsonl, line 7`. */
export const placeOf = ({ file, line }: Complaint): string =>
  line === undefined ? file : `${file}, line ${line}`;

export interface ExtractReport {
  manifest: Manifest;
  /** Rows taken of each file. */
  rows: Record<string, number>;
  /** Lines and files that were not taken. */
  rejected: Complaints;
  /** What was left out of lines that were taken. */
  remarks: Complaints;
}

const manifestSchema = z.object({
  format: z.literal('gate-lantern-extract'),
  version: z.literal(1),
  takenAt: timeSchema,
  organisation: z.object({
    name: z.string().default(''),
    domains: z.array(z.string()).default([]),
    partnerDomains: z.array(z.string()).default([]),
  }),
  workspaces: z.array(workspaceSchema),
});

const isId = (v: unknown): v is string => typeof v === 'string' && v.length > 0 && v.length <= 512;
const absent = (v: unknown): boolean => v === undefined;
const ROLE_NAMES: ReadonlySet<unknown> = new Set(ROLES);

/**
 * Whether a row is plainly right, so that the schema need not be asked: by far the most rows are,
 * and a schema costs ten times as much as JSON.parse. What is not plainly right goes to the schema.
 */
const PLAINLY_RIGHT: Partial<Record<RowKind, (row: Record<string, unknown>) => boolean>> = {
  item: (r) =>
    isId(r.id) &&
    isId(r.space) &&
    (absent(r.parent) || isId(r.parent)) &&
    (r.kind === 'file' || r.kind === 'folder') &&
    typeof r.name === 'string' &&
    r.name.length <= 4096 &&
    (absent(r.inherits) || typeof r.inherits === 'boolean') &&
    (absent(r.owner) || isId(r.owner)) &&
    (absent(r.held) || typeof r.held === 'boolean') &&
    (absent(r.dim) || typeof r.dim === 'boolean') &&
    (absent(r.label) || typeof r.label === 'string') &&
    (absent(r.mime) || typeof r.mime === 'string') &&
    (absent(r.bytes) || typeof r.bytes === 'number') &&
    plainTime(r.createdAt) &&
    plainTime(r.modifiedAt) &&
    (absent(r.modifiedBy) || isId(r.modifiedBy)),
  grant: (r) => {
    const { on, to } = r as { on?: Record<string, unknown>; to?: Record<string, unknown> };
    return (
      isId(r.id) &&
      typeof on === 'object' &&
      on !== null &&
      isOnly(on, 'space', 'item') &&
      typeof to === 'object' &&
      to !== null &&
      isOnly(to, 'user', 'group') &&
      ROLE_NAMES.has(r.role) &&
      plainTime(r.expiresAt) &&
      plainTime(r.grantedAt) &&
      (absent(r.grantedBy) || isId(r.grantedBy))
    );
  },
};
/** Whether the only key of an object is one of two, and names an id. */
function isOnly(value: Record<string, unknown>, one: string, other: string): boolean {
  let count = 0;
  for (const key in value) if (++count > 1 || (key !== one && key !== other)) return false;
  return isId(value[one] ?? value[other]);
}
const plainTime = (v: unknown): boolean =>
  v === undefined || (typeof v === 'string' && !Number.isNaN(momentOf(v)));

export interface ExtractHandlers {
  /** Called once, before any row. */
  manifest?(manifest: Manifest): void;
  /** `raw` is the row as it stands in the file. */
  row<K extends RowKind>(kind: K, row: RowOf[K], raw: unknown): void;
  /** Text of an item, from content.jsonl or files/; a piece without a part goes on with the one before. */
  text?(item: string, part: Part | undefined, text: string): void;
  /** Who opened or edited what, from activity.jsonl. */
  deed?(deed: NonNullable<ReturnType<typeof activityOf>>, event: ActivityEvent): void;
  /** Asked between pieces: what is given back is waited for before more is read. */
  full?(): Promise<void> | undefined;
  /** How far it is, in bytes of what is read; `doing` says at what. */
  progress?(doing: string, done: number, of: number): void;
}

const PEOPLE = ['users', 'groups'] as const;
const ROW_FILES = [
  ...KINDS.map((k) => `${ROW_KINDS[k].file}.jsonl`),
  ...PEOPLE.flatMap((k) => [`${k}.json`, `${k}.csv`]),
];
const KNOWN = ['manifest.json', 'columns.json', ...ROW_FILES, 'content.jsonl', 'activity.jsonl'];

/**
 * Reads an extract, calling back for each row; a bad line is rejected and the rest still loads.
 * Nothing is held beyond a piece of a file. Throws ExtractError where there is no usable manifest, or
 * where something is damaged: then what was handed on is not to be used.
 */
export async function readExtract(path: string, handlers: ExtractHandlers): Promise<ExtractReport> {
  const container = await openContainer(path, KNOWN);
  try {
    await container.check((done, of) => handlers.progress?.('Checking the zip', done, of));
    return await new ExtractReader(container, handlers, await readManifest(container)).read();
  } finally {
    container.close();
  }
}

class ExtractReader {
  private readonly report: ExtractReport;
  private readonly fields = new Map<RowKind, ReadonlySet<string>>();
  /** By file and field: in how many rows there is one that is not known. */
  private readonly unknown = new Map<string, number>();

  constructor(
    private readonly container: Container,
    private readonly handlers: ExtractHandlers,
    manifest: Manifest,
  ) {
    this.report = {
      manifest,
      rows: { workspaces: manifest.workspaces.length },
      rejected: new Complaints(),
      remarks: new Complaints(),
    };
    for (const left of container.left) this.report.rejected.add(left);
  }

  async read(): Promise<ExtractReport> {
    const { container, handlers, report } = this;
    handlers.manifest?.(report.manifest);
    const wanted = [
      ...ROW_FILES,
      ...(handlers.deed ? ['activity.jsonl'] : []),
      ...(handlers.text ? ['content.jsonl'] : []),
    ].flatMap((name) => container.members.get(name) ?? []);
    const files = handlers.text ? container.files : [];
    const from = container.read;
    const bytes = [...wanted, ...files].reduce((sum, m) => sum + m.bytes, 0);
    const between = (): Promise<void> | undefined => {
      handlers.progress?.('Reading', container.read - from, bytes);
      return handlers.full?.();
    };
    const columns = await readColumns(container);
    for (const member of wanted) await guarded(member.name, () => this.rowsOf(member, columns, between));
    for (const file of files)
      await guarded(`files/${file.name}`, async () => {
        const decoder = new TextDecoder('utf-8');
        handlers.text!(file.name, 'body', '');
        for await (const piece of file.pieces()) {
          handlers.text!(file.name, undefined, decoder.decode(piece, { stream: true }));
          await between();
        }
        handlers.text!(file.name, undefined, decoder.decode());
      });
    for (const [at, rows] of this.unknown) {
      const [file, field] = at.split('\0') as [string, string];
      report.remarks.add({
        file,
        reason: `${rows} ${rows === 1 ? 'row has' : 'rows have'} a field “${field}”, which is not read`,
      });
    }
    return report;
  }

  /** Reads a file of rows, of activity or of texts. */
  private async rowsOf(
    member: Member,
    columns: z.infer<typeof columnsSchema>,
    between: () => Promise<void> | undefined,
  ): Promise<void> {
    const { name } = member;
    const { rejected } = this.report;
    const [file, ending] = name.split('.') as [string, string];
    if (ending !== 'jsonl') {
      const people = file as (typeof PEOPLE)[number];
      for await (const { line, value, wrong } of peopleFile(
        people,
        ending as 'json' | 'csv',
        member.pieces(),
        columns[people],
      )) {
        const reason = wrong ?? this.takeRow(kindOfFile(file)!, value, { file: name, line });
        if (reason !== undefined) rejected.add({ file: name, line, reason });
        await between();
      }
      return;
    }
    const take = this.takerOf(file, name);
    for await (const some of linesOf(member.pieces())) {
      for (const line of some) {
        const reason = line.text === undefined ? line.wrong! : takeJson(line.text, (v) => take(v, line));
        if (reason !== undefined) rejected.add({ file: name, line: line.number, reason });
      }
      await between();
    }
  }

  /** What takes a value of a file of lines, and says what is wrong with it. */
  private takerOf(file: string, name: string): (value: unknown, line: Line) => string | undefined {
    const { handlers } = this;
    if (file === 'content') return takerBy(contentSchema, (c) => handlers.text!(c.item, c.part, c.text));
    if (file === 'activity')
      return takerBy(eventSchema, (e) => {
        const deed = activityOf(e);
        if (deed) handlers.deed!(deed, e);
      });
    const kind = kindOfFile(file)!;
    return (value, line) => this.takeRow(kind, value, { file: name, line: line.number });
  }

  /** Hands a row on, or says what is wrong with it. */
  private takeRow(kind: RowKind, value: unknown, at: { file: string; line: number }): string | undefined {
    if (typeof value !== 'object' || value === null || Array.isArray(value)) return 'it is not an object';
    const row = value as Record<string, unknown>;
    const known = this.fields.get(kind) ?? this.fields.set(kind, fieldsOf(kind)).get(kind)!;
    let plain = PLAINLY_RIGHT[kind]?.(row);
    for (const field in row)
      if (!known.has(field) && !field.startsWith('urn:')) {
        plain = false;
        this.countUnknown(at.file, field);
      }
    if (plain) this.handlers.row(kind, row as never, value);
    else {
      const parsed = ROW_SCHEMAS[kind].safeParse(value);
      if (!parsed.success) return complaint(parsed.error);
      // what stands there instead may be anything, and is not repeated
      if (kind === 'person' && hasNoAddress(row))
        this.report.remarks.add({ ...at, reason: 'emails: one is not an e-mail address; it is left out' });
      this.handlers.row(kind, parsed.data, value);
    }
    const { file } = ROW_KINDS[kind];
    this.report.rows[file] = (this.report.rows[file] ?? 0) + 1;
    return undefined;
  }

  private countUnknown(file: string, field: string): void {
    let at = `${file}\0${field.slice(0, 100)}`;
    if (!this.unknown.has(at) && this.unknown.size >= MOST_UNKNOWN) at = `${file}\0…`;
    this.unknown.set(at, (this.unknown.get(at) ?? 0) + 1);
  }
}

/** So many fields that are not known are told apart. */
const MOST_UNKNOWN = 200;

/** Whether something among the addresses of a SCIM user is none. */
const hasNoAddress = ({ emails }: Record<string, unknown>): boolean =>
  Array.isArray(emails) &&
  (emails as ({ value?: string | null } | null)[]).some((e) => e?.value && !isAddress(e.value));

/** Reads a file; what goes wrong with it is wrong with the extract. */
async function guarded(name: string, read: () => Promise<void>): Promise<void> {
  try {
    await read();
  } catch (e) {
    if (e instanceof ExtractError) throw e;
    throw new ExtractError(`${name} could not be read to its end: ${(e as Error).message}`);
  }
}

const contentSchema = z.object({
  item: z.string().min(1).max(512),
  part: z.enum(PARTS),
  text: z.string(),
});
const columnsSchema = z.object({
  users: z.record(z.string(), z.string()).default({}),
  groups: z.record(z.string(), z.string()).default({}),
});

/** columns.json: which column of a CSV is which attribute, where the names differ. */
async function readColumns(container: Container): Promise<z.infer<typeof columnsSchema>> {
  const text = await wholeText(container, 'columns.json');
  if (text === undefined) return { users: {}, groups: {} };
  try {
    return columnsSchema.parse(parseJson(text));
  } catch {
    throw new ExtractError(
      'columns.json does not say which column is which: {"users": {"attribute": "Column"}}.',
    );
  }
}

const takerBy =
  <T>(schema: z.ZodType<T>, take: (value: T) => void) =>
  (value: unknown): string | undefined => {
    const parsed = schema.safeParse(value);
    if (!parsed.success) return complaint(parsed.error);
    take(parsed.data);
    return undefined;
  };

function takeJson(text: string, take: (value: unknown) => string | undefined): string | undefined {
  let value: unknown;
  try {
    value = parseJson(text);
  } catch (e) {
    return (e as Error).message.startsWith('nested') ? `it is ${(e as Error).message}` : 'it is not JSON';
  }
  return take(value);
}

/** A small file as text, or undefined where it is not there. */
async function wholeText(container: Container, wanted: string): Promise<string | undefined> {
  const member = container.members.get(wanted);
  if (!member) return undefined;
  let text = '';
  const decoder = new TextDecoder('utf-8', { fatal: true });
  try {
    for await (const p of member.pieces()) {
      text += decoder.decode(p, { stream: true });
      if (text.length > 8_000_000) throw new ExtractError(`${wanted} is too large to be one.`);
    }
    return text + decoder.decode();
  } catch (e) {
    if (e instanceof TypeError) throw new ExtractError(`${wanted} is not UTF-8.`);
    throw e;
  }
}

/** The manifest of an extract at a path. Throws ExtractError where it is none. */
export async function manifestOf(path: string): Promise<Manifest> {
  const container = await openContainer(path, KNOWN);
  try {
    return await readManifest(container);
  } finally {
    container.close();
  }
}

async function readManifest(container: Container): Promise<Manifest> {
  const text = await wholeText(container, 'manifest.json');
  if (text === undefined) throw new ExtractError('There is no manifest.json, so this is not an extract.');
  let value: unknown;
  try {
    value = parseJson(text);
  } catch {
    throw new ExtractError('manifest.json is not JSON.');
  }
  const parsed = manifestSchema.safeParse(value);
  if (!parsed.success) throw new ExtractError(`manifest.json: ${complaint(parsed.error)}.`);
  return parsed.data;
}
