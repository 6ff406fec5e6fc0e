/**
 * A simulated workspace's state: an extract directory read at the start, and a journal of every
 * change since, written and flushed before the change is answered. Change tokens are journal
 * positions.
 */
import { closeSync, existsSync, fsyncSync, mkdirSync, openSync, readFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';

export type Kind = 'users' | 'groups' | 'spaces' | 'items' | 'grants' | 'links';
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

const KINDS: readonly Kind[] = ['users', 'groups', 'spaces', 'items', 'grants', 'links'];

const lines = (file: string): unknown[] =>
  existsSync(file)
    ? readFileSync(file, 'utf8')
        .split('\n')
        .filter(Boolean)
        .map((l) => JSON.parse(l) as unknown)
    : [];

export class State {
  readonly manifest: { organisation: unknown; workspaces: Record<string, unknown>[] };
  readonly rows = {} as Record<Kind, Map<string, Row>>;
  readonly content = new Map<string, string>();
  private readonly removed = {} as Record<Kind, Map<string, Row>>;
  private readonly journal: JournalLine[] = [];
  private readonly answered = new Set<string>();
  private readonly fd: number;

  constructor(extract: string, stateDirectory: string) {
    this.manifest = JSON.parse(readFileSync(join(extract, 'manifest.json'), 'utf8')) as State['manifest'];
    for (const kind of KINDS) {
      this.rows[kind] = new Map((lines(join(extract, `${kind}.jsonl`)) as Row[]).map((r) => [r.id, r]));
      this.removed[kind] = new Map();
    }
    for (const c of lines(join(extract, 'content.jsonl')) as { item: string; text: string }[])
      this.content.set(c.item, c.text);
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
    this.take(line);
    return true;
  }

  seen(key: string): boolean {
    return this.answered.has(key);
  }

  wasRemoved(kind: Kind, id: string): Row | undefined {
    return this.removed[kind].get(id);
  }

  /** Rows changed since a token: the row as it is, or null where it is gone. */
  changesSince(token: string): { kind: Kind; id: string; row: Row | null }[] {
    const touched = new Map(this.journal.slice(Number(token)).map((l) => [`${l.kind}/${l.id}`, l]));
    return [...touched.values()].map(({ kind, id }) => ({ kind, id, row: this.rows[kind].get(id) ?? null }));
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
