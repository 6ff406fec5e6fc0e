/** Reading the bulk extract, version 1 (docs/extract.md): a directory, or a .zip of one, streamed. */
import { createReadStream, existsSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { createGunzip } from 'node:zlib';
import { Gunzip, Unzip, UnzipInflate } from 'fflate';
import { z } from 'zod';
import { activityOf, eventSchema, type ActivityEvent } from './activity.ts';
import { peopleFile } from './people-files.ts';
import { PARTS, ROLES, type OrganisationRow, type Part, type WorkspaceRow } from '../core/model.ts';
import { kindOfFile, KINDS, ROW_KINDS, type RowKind, type RowOf } from '../core/row-kinds.ts';
import { linesOf, type Line } from './lines.ts';
import { complaint, ROW_SCHEMAS, workspaceSchema } from './rows.ts';

export interface Manifest {
  takenAt: string;
  organisation: OrganisationRow;
  workspaces: WorkspaceRow[];
}

/** A line that could not be taken, with its place and the reason. */
export interface Rejected {
  file: string;
  line: number;
  reason: string;
}

export interface ExtractReport {
  manifest: Manifest;
  /** Rows taken of each file. */
  rows: Record<string, number>;
  rejected: Rejected[];
  /** Lines rejected in all; `rejected` holds the first thousand. */
  rejectedCount: number;
}

/** What is wrong with an extract as a whole. */
export class ExtractError extends Error {
  override name = 'ExtractError';
}

const manifestSchema = z.object({
  format: z.literal('gate-lantern-extract'),
  version: z.literal(1),
  takenAt: z.string().refine((t) => !Number.isNaN(Date.parse(t)), 'is not an RFC 3339 time'),
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
      isId(on.space) !== isId(on.item) &&
      typeof to === 'object' &&
      to !== null &&
      (isId(to.user) || isId(to.group)) &&
      ROLE_NAMES.has(r.role) &&
      plainTime(r.expiresAt) &&
      plainTime(r.grantedAt) &&
      (absent(r.grantedBy) || isId(r.grantedBy))
    );
  },
};
const plainTime = (v: unknown): boolean =>
  v === undefined ||
  (typeof v === 'string' &&
    /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?Z$/.test(v) &&
    !Number.isNaN(Date.parse(v)));

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
}

/**
 * Reads an extract, calling back for each row; a bad line is rejected and the rest still loads.
 * Nothing is held beyond a piece of a file. Throws ExtractError where there is no usable manifest.
 */
export async function readExtract(path: string, handlers: ExtractHandlers): Promise<ExtractReport> {
  const container = containerAt(path);
  const manifest = await readManifest(container);
  handlers.manifest?.(manifest);
  const report: ExtractReport = {
    manifest,
    rows: { workspaces: manifest.workspaces.length },
    rejected: [],
    rejectedCount: 0,
  };
  const reject = (file: string, line: number, reason: string): void => {
    report.rejectedCount++;
    if (report.rejected.length < 1000) report.rejected.push({ file, line, reason });
  };
  const guarded = async (name: string, read: () => Promise<void>): Promise<void> => {
    try {
      await read();
    } catch (e) {
      if (e instanceof ExtractError) throw e;
      throw new ExtractError(`${name} could not be read to its end: ${(e as Error).message}`);
    }
  };
  /** Reads a file of lines; `take` says what is wrong with one. */
  const lines = (name: string, pieces: AsyncIterable<Uint8Array>, take: (line: Line) => string | undefined) =>
    guarded(name, async () => {
      for await (const some of linesOf(pieces)) {
        for (const line of some) {
          const reason = take(line);
          if (reason !== undefined) reject(name, line.number, reason);
        }
        await handlers.full?.();
      }
    });
  const counted = (file: string, reason: string | undefined): string | undefined => {
    if (reason === undefined) report.rows[file] = (report.rows[file] ?? 0) + 1;
    return reason;
  };
  const wanted = [
    ...KINDS.map((k) => `${ROW_KINDS[k].file}.jsonl`),
    ...(['users', 'groups'] as const).flatMap((k) => [`${k}.json`, `${k}.csv`]),
    ...(handlers.deed ? ['activity.jsonl'] : []),
    ...(handlers.text ? ['content.jsonl'] : []),
  ];
  const columns = await readColumns(container);
  await container.each(wanted, async (name, pieces) => {
    if (name === 'content.jsonl')
      return lines(name, pieces, (l) =>
        takeJson(contentSchema, l, (c) => handlers.text!(c.item, c.part, c.text)),
      );
    if (name === 'activity.jsonl')
      return lines(name, pieces, (l) =>
        takeJson(eventSchema, l, (e) => {
          const deed = activityOf(e);
          if (deed) handlers.deed!(deed, e);
        }),
      );
    const [file, ending] = name.split('.') as [string, string];
    const kind = kindOfFile(file)!;
    if (ending === 'jsonl') return lines(name, pieces, (l) => counted(file, takeLine(kind, l, handlers)));
    return guarded(name, async () => {
      for await (const { line, value, wrong } of peopleFile(
        file as 'users' | 'groups',
        ending as 'json' | 'csv',
        pieces,
        columns[file as 'users' | 'groups'],
      )) {
        const reason = wrong ?? counted(file, takeValue(kind, value, handlers));
        if (reason !== undefined) reject(name, line, reason);
        await handlers.full?.();
      }
    });
  });
  if (handlers.text)
    await container.each(['files/'], (name, pieces) =>
      guarded(`files/${name}`, async () => {
        const decoder = new TextDecoder('utf-8');
        handlers.text!(name, 'body', '');
        for await (const piece of pieces) {
          handlers.text!(name, undefined, decoder.decode(piece, { stream: true }));
          await handlers.full?.();
        }
        handlers.text!(name, undefined, decoder.decode());
      }),
    );
  return report;
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
    return columnsSchema.parse(JSON.parse(text));
  } catch {
    throw new ExtractError(
      'columns.json does not say which column is which: {"users": {"attribute": "Column"}}.',
    );
  }
}

function takeJson<T>(schema: z.ZodType<T>, line: Line, take: (value: T) => void): string | undefined {
  if (line.text === undefined) return TOO_LONG;
  let value: unknown;
  try {
    value = JSON.parse(line.text);
  } catch {
    return 'it is not JSON';
  }
  const parsed = schema.safeParse(value);
  if (!parsed.success) return complaint(parsed.error);
  take(parsed.data);
  return undefined;
}
const TOO_LONG = 'the line is longer than 16 MB';

/** Hands one line on, or says why not. */
function takeLine(kind: RowKind, line: Line, handlers: ExtractHandlers): string | undefined {
  if (line.text === undefined) return TOO_LONG;
  let value: unknown;
  try {
    value = JSON.parse(line.text);
  } catch {
    return 'it is not JSON';
  }
  return takeValue(kind, value, handlers);
}

function takeValue(kind: RowKind, value: unknown, handlers: ExtractHandlers): string | undefined {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return 'it is not an object';
  if (PLAINLY_RIGHT[kind]?.(value as Record<string, unknown>)) {
    handlers.row(kind, value as never, value);
    return undefined;
  }
  const parsed = ROW_SCHEMAS[kind].safeParse(value);
  if (!parsed.success) return complaint(parsed.error);
  handlers.row(kind, parsed.data, value);
  return undefined;
}

interface Container {
  /** Streams the named files, where they are, each whether it is .gz or not; `files/` stands for all in it, by item. */
  each(
    names: readonly string[],
    read: (name: string, pieces: AsyncIterable<Uint8Array>) => Promise<void>,
  ): Promise<void>;
}

function containerAt(path: string): Container {
  const stat = statSync(path, { throwIfNoEntry: false });
  if (!stat) throw new ExtractError(`${path} is not there.`);
  return stat.isDirectory() ? directory(path) : zip(path);
}

/** A small file as text, or undefined where it is not there. */
async function wholeText(container: Container, wanted: string): Promise<string | undefined> {
  let text: string | undefined;
  await container.each([wanted], async (_, pieces) => {
    text = '';
    const decoder = new TextDecoder();
    for await (const p of pieces) {
      text += decoder.decode(p, { stream: true });
      if (text.length > 8_000_000) throw new ExtractError(`${wanted} is too large to be one.`);
    }
  });
  return text;
}

/** The manifest of an extract at a path. Throws ExtractError where it is none. */
export async function manifestOf(path: string): Promise<Manifest> {
  return readManifest(containerAt(path));
}

async function readManifest(container: Container): Promise<Manifest> {
  const text = await wholeText(container, 'manifest.json');
  if (text === undefined) throw new ExtractError('There is no manifest.json, so this is not an extract.');
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch {
    throw new ExtractError('manifest.json is not JSON.');
  }
  const parsed = manifestSchema.safeParse(value);
  if (!parsed.success) throw new ExtractError(`manifest.json: ${complaint(parsed.error)}.`);
  return parsed.data;
}

/** The item whose real file this is, by its name under files/. */
function itemOfFile(name: string): string {
  try {
    return decodeURIComponent(name);
  } catch {
    return name;
  }
}

const directory = (path: string): Container => ({
  async each(names, read) {
    for (const name of names) {
      const plain = join(path, name);
      if (name === 'files/') {
        for (const file of existsSync(plain) ? readdirSync(plain, { withFileTypes: true }) : [])
          if (file.isFile()) await read(itemOfFile(file.name), createReadStream(join(plain, file.name)));
        continue;
      }
      if (existsSync(plain)) await read(name, createReadStream(plain, { highWaterMark: 1 << 20 }));
      else if (existsSync(`${plain}.gz`))
        await read(
          name,
          createReadStream(`${plain}.gz`, { highWaterMark: 1 << 20 }).pipe(
            createGunzip({ chunkSize: 1 << 20 }),
          ),
        );
    }
  },
});

/** A zip that grows by more than this, and beyond 250 MB, is taken for a trap. */
const MOST_GROWTH = 250;
const GROWTH_COUNTS_FROM = 250_000_000;

/** The files of a zip, at its root or in one folder. Each is streamed in the order of the archive. */
const zip = (path: string): Container => ({
  async each(names, read) {
    const size = statSync(path).size;
    let grown = 0;
    let failed: unknown;
    const unzip = new Unzip();
    unzip.register(UnzipInflate);
    let current: Promise<void> = Promise.resolve();
    let sawAny = false;
    unzip.onfile = (file) => {
      sawAny = true;
      // at the root, or in one folder
      const paths = [file.name, file.name.slice(file.name.indexOf('/') + 1)];
      const real = names.includes('files/') ? paths.find((p) => /^files\/[^/]+$/.test(p)) : undefined;
      const base = real ?? paths.find((p) => names.includes(p.replace(/\.gz$/, '')));
      if (base === undefined) return;
      const name = real ? itemOfFile(real.slice('files/'.length)) : base.replace(/\.gz$/, '');
      const queue = new Queue();
      const gunzip =
        !real && base.endsWith('.gz') ? new Gunzip((data, final) => queue.push(data, final)) : undefined;
      file.ondata = (error, data, final) => {
        grown += data?.length ?? 0;
        if (grown > GROWTH_COUNTS_FROM && grown > size * MOST_GROWTH)
          queue.fail(new ExtractError('The zip grows to more than 250 times its size, so it is not read.'));
        else if (error) queue.fail(error);
        else if (gunzip) gunzip.push(data, final);
        else queue.push(data, final);
      };
      file.start();
      current = current.then(() => read(name, queue.pieces()));
      current.catch((e: unknown) => (failed ??= e));
      waiting.push(queue);
    };
    const waiting: Queue[] = [];
    for await (const chunk of createReadStream(path, { highWaterMark: 1 << 18 })) {
      try {
        unzip.push(chunk as Uint8Array);
      } catch (e) {
        throw new ExtractError(`${path} is not a zip that can be read: ${(e as Error).message}`);
      }
      // do not run ahead of whoever reads
      for (const q of waiting) await q.drained();
      if (failed) break;
    }
    try {
      if (!failed) unzip.push(new Uint8Array(0), true);
    } catch (e) {
      throw new ExtractError(`${path} is not a zip that can be read: ${(e as Error).message}`);
    }
    if (failed) throw failed instanceof Error ? failed : new ExtractError('The zip could not be read.');
    if (!sawAny) throw new ExtractError(`${path} is neither a directory nor a zip.`);
    await current;
  },
});

/** Pieces that are pushed at one end and awaited at the other. */
class Queue {
  private list: Uint8Array[] = [];
  private ended = false;
  private error: Error | undefined;
  private wake: (() => void) | undefined;
  private emptied: (() => void) | undefined;

  push(piece: Uint8Array, final: boolean): void {
    if (piece.length) this.list.push(piece);
    this.ended ||= final;
    this.wake?.();
  }
  fail(error: Error): void {
    this.error ??= error;
    this.wake?.();
  }
  async drained(): Promise<void> {
    while (this.list.length && !this.error) await new Promise<void>((r) => (this.emptied = r));
  }
  async *pieces(): AsyncGenerator<Uint8Array> {
    for (;;) {
      if (this.error) throw this.error;
      const piece = this.list.shift();
      if (piece) {
        yield piece;
        continue;
      }
      this.emptied?.();
      if (this.ended) return;
      await new Promise<void>((r) => (this.wake = r));
    }
  }
}
