/**
 * A simulated workspace's state: an extract directory read at the start, and a journal of every
 * change since, written and flushed before the change is answered. Change tokens are journal
 * positions.
 */
import {
  closeSync,
  existsSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { KINDS, ROW_KINDS, type RowKind } from '../src/core/row-kinds.ts';

/** Rows are kept under the names of their files. */
export type Kind = (typeof ROW_KINDS)[RowKind]['file'];
export interface Row {
  id: string;
  [field: string]: unknown;
}
interface JournalLine {
  key: string;
  kind: Kind;
  id: string;
  op: 'delete' | 'restore' | 'put';
  row?: Row;
}

const FILES: readonly Kind[] = KINDS.map((k) => ROW_KINDS[k].file);

const lines = (file: string): unknown[] =>
  existsSync(file)
    ? readFileSync(file, 'utf8')
        .split('\n')
        .filter(Boolean)
        .map((l) => JSON.parse(l) as unknown)
    : [];

export class State {
  readonly manifest: { organisation: unknown; workspaces: { id: string; [field: string]: unknown }[] };
  /** Accounts that a workspace has and the directory has not. */
  readonly accounts: (Row & { workspace: string; address: string; name: string; external: boolean })[];
  /** CloudEvents of who did what. */
  readonly activity: { subject: string; data: { user?: string; email?: string }; [field: string]: unknown }[];
  /** Change tokens before this position are no longer known. */
  forgotten = 0;
  readonly rows = {} as Record<Kind, Map<string, Row>>;
  readonly content = new Map<string, Uint8Array>();
  /** Called with a row as it was and as it is. */
  onChange: (kind: Kind, before: Row | undefined, after: Row | undefined) => void = () => undefined;
  private readonly removed = {} as Record<Kind, Map<string, Row>>;
  private readonly journal: JournalLine[] = [];
  private readonly answered = new Set<string>();
  private readonly fd: number;

  constructor(extract: string, stateDirectory: string) {
    this.manifest = JSON.parse(readFileSync(join(extract, 'manifest.json'), 'utf8')) as State['manifest'];
    for (const kind of FILES) {
      this.rows[kind] = new Map((lines(join(extract, `${kind}.jsonl`)) as Row[]).map((r) => [r.id, r]));
      this.removed[kind] = new Map();
    }
    const files = join(extract, 'files');
    for (const item of existsSync(files) ? readdirSync(files) : [])
      this.content.set(item, readFileSync(join(files, item)));
    this.accounts = lines(join(extract, 'accounts.jsonl')) as State['accounts'];
    this.activity = lines(join(extract, 'activity.jsonl')) as State['activity'];
    mkdirSync(stateDirectory, { recursive: true });
    const file = join(stateDirectory, 'journal.jsonl');
    // a line that a crash cut short was never answered, so it never happened
    const text = existsSync(file) ? readFileSync(file, 'utf8') : '';
    const whole = text.slice(0, text.lastIndexOf('\n') + 1);
    this.fd = openSync(file, 'w');
    writeSync(this.fd, whole);
    for (const line of whole.split('\n').filter(Boolean)) this.take(JSON.parse(line) as JournalLine);
  }

  get token(): string {
    return String(this.journal.length);
  }

  close(): void {
    closeSync(this.fd);
  }

  /** Applies a change once per key. Returns whether it was applied now (false: seen before). */
  change(line: JournalLine): boolean {
    if (this.answered.has(line.key)) return false;
    writeSync(this.fd, JSON.stringify(line) + '\n');
    fsyncSync(this.fd);
    const before = this.rows[line.kind].get(line.id);
    this.take(line);
    const after = this.rows[line.kind].get(line.id);
    if (before || after) this.onChange(line.kind, before, after);
    return true;
  }

  seen(key: string): boolean {
    return this.answered.has(key);
  }

  wasRemoved(kind: Kind, id: string): Row | undefined {
    return this.removed[kind].get(id);
  }

  /**
   * Rows changed since a token, at most `limit` changes on: each row as it is now, or null where it is
   * gone, with the row as it last was. Undefined where the token is no longer known.
   */
  changesSince(
    token: string,
    limit: number,
  ):
    | {
        changes: { kind: Kind; id: string; row: Row | null; last: Row | undefined }[];
        token: string;
        more: boolean;
      }
    | undefined {
    const from = Number(token);
    if (!(from >= this.forgotten && from <= this.journal.length)) return undefined;
    const to = Math.min(this.journal.length, from + limit);
    const touched = new Map(this.journal.slice(from, to).map((l) => [`${l.kind}/${l.id}`, l]));
    return {
      changes: [...touched.values()].map(({ kind, id }) => {
        const row = this.rows[kind].get(id) ?? null;
        return { kind, id, row, last: row ?? this.removed[kind].get(id) };
      }),
      token: String(to),
      more: to < this.journal.length,
    };
  }

  /** The workspace that a row belongs to. */
  workspaceOf(kind: Kind, row: Row | undefined): string | undefined {
    if (!row || kind === 'users' || kind === 'groups') return undefined;
    if (typeof row.workspace === 'string') return row.workspace;
    const space = (id: unknown): string | undefined => {
      const s = this.rows.spaces.get(id as string) ?? this.removed.spaces.get(id as string);
      return s?.workspace as string | undefined;
    };
    if (row.space) return space(row.space);
    const on = row.on as { space?: string; item?: string };
    if (on.space) return space(on.space);
    const item = this.rows.items.get(on.item!) ?? this.removed.items.get(on.item!);
    return item && space(item.space);
  }

  private take(line: JournalLine): void {
    this.journal.push(line);
    this.answered.add(line.key);
    const live = this.rows[line.kind];
    const removed = this.removed[line.kind];
    if (line.op === 'delete') {
      const row = live.get(line.id);
      if (row) removed.set(line.id, row);
      live.delete(line.id);
    } else if (line.op === 'restore') {
      const row = removed.get(line.id);
      if (row) live.set(line.id, row);
      removed.delete(line.id);
    } else live.set(line.id, line.row!);
  }
}
