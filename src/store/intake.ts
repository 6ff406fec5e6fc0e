/**
 * What a survey reads, on its way into the store. Rows are told by their digests from those in force, so that only what
 * differs is staged, to be merged when all is read. Of a source of which nothing is known every row is new: these go where
 * they belong at once, under the number of the survey, which nobody sees before it is done.
 */
import { GrowInt32 } from '../core/access/growable.ts';
import { PackedNames } from '../core/access/names.ts';
import { copyText, type Db } from './db.ts';
import {
  digestOf,
  sourcesOf,
  storableJson,
  versionParts,
  type ObservedKind,
  type StagedRow,
} from './observed.ts';

/** Rows written at once. */
const AT_ONCE = 20_000;
/** Versions taken back in one statement: the database answers nobody else meanwhile. */
const TAKEN_BACK_AT_ONCE = 5000;

const COLUMNS = ['kind', 'source', 'id', 'doc', 'digest'];
type Line = [
  survey: number,
  kind: string,
  source: string,
  id: string,
  json: string | null,
  digest: string | null,
];

/** The same with the fields of every object in the order of their names. */
function inOrder(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(inOrder);
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([k, v]) => [k, inOrder(v)]),
  );
}

/** It is in force now. */
const BASE = 1;
/** It came, or was said to be gone. */
const SEEN = 2;
/** Something was written of it. */
const WRITTEN = 4;
const WORDS = 4;

/** Ids of one kind and source, with the digest of what is known of each. */
class Known {
  readonly ids = new PackedNames();
  private readonly flags = new GrowInt32();
  private readonly digests = new GrowInt32();

  /** The number of an id, made if there is none. */
  of(id: string): number {
    const n = this.ids.of(id);
    if (n === this.flags.length) {
      this.flags.push(0);
      for (let w = 0; w < WORDS; w++) this.digests.push(0);
    }
    return n;
  }

  has(n: number, flag: number): boolean {
    return (this.flags.at(n) & flag) !== 0;
  }

  set(n: number, flag: number): void {
    this.flags.set(n, this.flags.at(n) | flag);
  }

  clear(n: number, flag: number): void {
    this.flags.set(n, this.flags.at(n) & ~flag);
  }

  is(n: number, digest: string | null): boolean {
    for (let w = 0; w < WORDS; w++) if (this.digests.at(n * WORDS + w) !== wordOf(digest, w)) return false;
    return true;
  }

  put(n: number, digest: string | null): void {
    for (let w = 0; w < WORDS; w++) this.digests.set(n * WORDS + w, wordOf(digest, w));
  }
}

/** Where each eight digits of a UUID are, of which the second and third have a dash between them. */
const PLACES = [
  [0, 8],
  [9, 18],
  [19, 28],
  [28, 36],
] as const;
const wordOf = (digest: string | null, w: number): number =>
  digest === null ? 0 : Number.parseInt(digest.slice(...PLACES[w]!).replace('-', ''), 16) | 0;

/** Rows of one kind and source. */
interface Target {
  kind: ObservedKind;
  source: string;
  known: Known;
  /** All rows of it come: whatever is in force and does not come is gone. */
  isWhole: boolean;
}

export class Intake {
  /** How many rows were put where they belong. */
  added = 0;
  private readonly targets = new Map<string, Target>();
  private readonly lines = { observed: [] as Line[], staged: [] as Line[] };
  private writing: Promise<void> = Promise.resolve();

  private constructor(
    private readonly db: Db,
    private readonly survey: number,
    private readonly direct: ReadonlySet<string>,
    /** Of which sources there were rows of a kind when it began. */
    private readonly sources: ReadonlyMap<ObservedKind, readonly string[]>,
  ) {}

  /** Begins to take in a survey; what an earlier one left behind is taken away first. */
  static async begin(
    db: Db,
    survey: number,
    sources: readonly string[],
    kinds: readonly ObservedKind[],
    signal?: AbortSignal,
  ): Promise<Intake> {
    await takeBackDirect(db, survey, signal);
    const known = new Map<ObservedKind, string[]>();
    for (const kind of kinds) known.set(kind, await sourcesOf(db, kind));
    const some = new Set([...known.values()].flat());
    const fresh = sources.filter((s) => !some.has(s));
    await db.query('truncate staged, staged_activity');
    await db.query('update survey set direct = $2 where id = $1', [survey, fresh]);
    return new Intake(db, survey, new Set(fresh), known);
  }

  private target(kind: ObservedKind, source: string): Target {
    const name = `${kind} ${source}`;
    let target = this.targets.get(name);
    if (!target) this.targets.set(name, (target = { kind, source, known: new Known(), isWhole: false }));
    return target;
  }

  /** Every row of a kind and source follows: of those in force, what does not come by `finish` is gone. */
  async whole(kind: ObservedKind, source: string): Promise<void> {
    const target = this.target(kind, source);
    if (target.isWhole) return;
    target.isWhole = true;
    if (this.direct.has(source)) return;
    const { known } = target;
    for await (const part of versionParts(this.db, kind, source, 'digest', 'valid_to is null'))
      for (const [id, digest] of part) {
        const n = known.of(id);
        known.set(n, BASE);
        if (!known.has(n, WRITTEN)) known.put(n, digest);
      }
  }

  /** Rows of sources other than these end with this survey. */
  async endOthers(sources: ReadonlySet<string>): Promise<void> {
    for (const [kind, known] of this.sources)
      for (const source of known) if (!sources.has(source)) await this.whole(kind, source);
  }

  /** Takes rows in; one without a document is gone. The later word on an id counts. */
  async put(rows: readonly StagedRow[]): Promise<void> {
    for (const row of rows) await this.take(row);
    if (this.lines.observed.length >= AT_ONCE || this.lines.staged.length >= AT_ONCE) await this.write();
  }

  private async take({ kind, source, id, doc }: StagedRow): Promise<void> {
    // what was found comes from a scan just made, or from one that is kept: its fields are in another order then
    const json = doc === null ? null : storableJson(kind === 'content' ? inOrder(doc) : doc);
    const digest = json === null ? null : digestOf(json);
    const target = this.target(kind, source);
    const table = this.direct.has(source) ? 'observed' : 'staged';
    const { known, isWhole } = target;
    const n = known.of(id);
    known.set(n, SEEN);
    if (json !== null && known.has(n, BASE | WRITTEN) && known.is(n, digest)) return;
    const again = known.has(n, WRITTEN);
    known.put(n, digest);
    // that it is gone is only worth a word where it may be there
    const told = json !== null || (isWhole ? known.has(n, BASE) : table === 'staged');
    if (told) known.set(n, WRITTEN);
    else known.clear(n, WRITTEN);
    if (again) await this.takeBack(table, target, id);
    if (!told) return;
    if (table === 'observed') this.added++;
    this.lines[table].push([this.survey, kind, source, id, json, digest]);
  }

  /** Takes away what was written of a row in this survey, so that another word on it can be. */
  private async takeBack(table: 'observed' | 'staged', { kind, source }: Target, id: string): Promise<void> {
    await this.write();
    await this.writing;
    await this.db.query(
      `delete from ${table} where ${table === 'staged' ? 'survey' : 'valid_from'} = $1 and kind = $2 and source = $3 and id = $4`,
      [this.survey, kind, source, id],
    );
    if (table === 'observed') this.added--;
  }

  /** What is known of a row, where it could not be read, stays. */
  keep(kind: ObservedKind, source: string, id: string): void {
    const { known } = this.target(kind, source);
    known.set(known.of(id), SEEN);
  }

  /** Writes what was gathered while more is read: one part at a time, and waits for the one before. */
  private async write(): Promise<void> {
    const { observed, staged } = this.lines;
    if (!observed.length && !staged.length) return;
    this.lines.observed = [];
    this.lines.staged = [];
    const before = this.writing;
    this.writing = before.then(async () => {
      if (observed.length) await this.db.copyIn('observed', ['valid_from', ...COLUMNS], copyText(observed));
      if (staged.length) await this.db.copyIn('staged', ['survey', ...COLUMNS], copyText(staged));
    });
    // it is raised where it is waited for
    this.writing.catch(() => undefined);
    await before;
  }

  /** Takes away all that came of a source: what is known of it stays. */
  async forget(source: string): Promise<void> {
    await this.write();
    await this.writing;
    await this.db.query('delete from staged where survey = $1 and source = $2', [this.survey, source]);
    if (this.direct.has(source)) this.added -= await takeBackVersions(this.db, this.survey, source);
    for (const [name, target] of this.targets) if (target.source === source) this.targets.delete(name);
  }

  /** Sees to it that all is written, and that what did not come, of what came as a whole, is staged as gone. */
  async finish(): Promise<void> {
    for (const { kind, source, known } of this.targets.values())
      for (let n = 0; n < known.ids.length; n++) {
        if (!known.has(n, BASE) || known.has(n, SEEN)) continue;
        this.lines.staged.push([this.survey, kind, source, known.ids.at(n), null, null]);
        if (this.lines.staged.length >= AT_ONCE) await this.write();
      }
    await this.write();
    await this.writing;
    this.targets.clear();
  }
}

/** The tables that hold versions. */
const partitions = async (db: Db): Promise<string[]> =>
  (
    await db.query<{ name: string }>(
      "select inhrelid::regclass::text as name from pg_inherits where inhparent = 'observed'::regclass order by 1",
    )
  ).map((r) => r.name);

/** Takes away what a survey put directly, all of it or of one source; gives how many rows. */
async function takeBackVersions(
  db: Db,
  survey: number,
  source: string | null,
  signal?: AbortSignal,
): Promise<number> {
  let all = 0;
  for (const table of await partitions(db))
    for (let n = 1; n > 0; all += n) {
      signal?.throwIfAborted();
      [{ n }] = (await db.query<{ n: number }>(
        `with gone as (delete from ${table} where ctid = any(array(
           select ctid from ${table} where valid_from = $1 and ($2::text is null or source = $2) limit ${TAKEN_BACK_AT_ONCE})) returning 1)
         select count(*)::int as n from gone`,
        [survey, source],
      )) as [{ n: number }];
    }
  return all;
}

/**
 * Takes away what surveys that did not come to their end put directly; until then nobody sees it. `beginning`: the survey that
 * has begun, and has put nothing yet.
 */
export async function takeBackDirect(
  db: Db,
  beginning: number | null = null,
  signal?: AbortSignal,
): Promise<void> {
  const left = await db.query<{ id: number }>(
    "select id from survey where direct <> '{}' and state not in ('running', 'done', 'dropped') order by id",
  );
  for (const { id } of left) {
    // where nothing else is there, all at once
    await db.transaction(async (tx) => {
      const others = await tx.query(
        "select 1 from survey where state in ('running', 'done', 'dropped') and id is distinct from $1 limit 1",
        [beginning],
      );
      if (!others.length) await tx.query('truncate observed');
    });
    await takeBackVersions(db, id, null, signal);
    await db.query("update survey set direct = '{}' where id = $1", [id]);
  }
}
