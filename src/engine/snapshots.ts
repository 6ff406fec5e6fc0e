/**
 * The rows of the last survey as a file, so that a start need not read them from the store. It is never trusted over the
 * store: only taken where it is whole, of this format, and of surveys that the store has just so; what differs since is
 * read from the store. Anything else about it, and it is as if there were none.
 */
import { createHash } from 'node:crypto';
import { mkdir, readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { readColumns, writeColumns } from '../formats/columns-file.ts';
import type { Db } from '../store/db.ts';
import type { AsOf } from '../store/observed.ts';
import { following, type Loaded } from './loaded.ts';
import { packed, unpacked, type Reached } from './reached.ts';
import { SurveyRows, type RowsState } from './rows.ts';

/** To be raised whenever what the file holds, or what is made of rows as they are read, changes. */
const FORMAT = 1;
const FILE = 'rows.columns';

interface Kept {
  /** Which surveys the rows are the sum of. */
  surveys: string;
  rows: RowsState;
  /** Only where it is known which program worked it out. */
  reached?: Reached;
}

/** What tells the surveys that came to their end up to some moment from those of any other store. */
async function surveysAt(db: Db, { survey, open }: AsOf): Promise<string> {
  const rows = await db.query(
    `select id, kind, started_at, taken_at from survey
     where id <= $1 and id <> all($2::int[]) and state in ('done', 'dropped') order by id`,
    [survey, open],
  );
  return createHash('sha256').update(JSON.stringify(rows)).digest('hex');
}

export class Snapshots {
  /** Counts what is written; a write that is not the last gives up. */
  private writing = 0;
  /** How far everything reaches had to be worked out anew: another program, or other settings. */
  outdated = false;
  /** What is being read, once it was begun. */
  private file: Promise<unknown> | undefined;

  constructor(
    private readonly directory: string,
    private readonly log: (text: string) => void,
    /** Which program this is: what another one worked out is worked out again. */
    private readonly build?: string,
  ) {}

  /** Begins to read the file, before there is a store to hold it to. */
  begin(): void {
    this.file = readColumns(join(this.directory, FILE), FORMAT);
    this.file.catch(() => undefined);
  }

  /** A survey made of what was kept, and of what differs since; undefined where that cannot be done. */
  async read(db: Db, survey: number, takenAt: string): Promise<Loaded | undefined> {
    if (!this.file) this.begin();
    const { file } = this;
    this.file = undefined;
    try {
      const { surveys, rows, reached } = (await file) as Kept;
      const [of] = await db.query<{ taken_at: Date }>(
        "select taken_at from survey where id = $1 and state = 'done'",
        [rows.at.survey],
      );
      if (!of || (await surveysAt(db, rows.at)) !== surveys)
        throw new Error('It is of another store, or of a survey that is not kept any more.');
      const { build } = this;
      const restored = await SurveyRows.restored(db, rows, of.taken_at.toISOString());
      return await following(db, restored, survey, takenAt, (view, types) => {
        const known =
          build && reached && !restored.changed ? unpacked(build, reached, view, types) : undefined;
        this.outdated = build !== undefined && !known && !restored.changed;
        return known;
      });
    } catch (e) {
      if ((e as NodeJS.ErrnoException).code !== 'ENOENT')
        this.log(`The snapshot of the last survey was not used, and all is read: ${(e as Error).message}`);
      return undefined;
    }
  }

  /**
   * Keeps a survey's rows, and how far they reach, for the next start. Gives up, and leaves what was there, where the rows move
   * on, `leave` is called or something else is to be written.
   */
  async write(db: Db, l: Loaded): Promise<void> {
    const { rows } = l;
    const mine = ++this.writing;
    try {
      await mkdir(this.directory, { recursive: true, mode: 0o700 });
      const state = rows.state();
      const ahead = (): void => {
        if (mine !== this.writing || !rows.isStill(state)) throw new Left();
      };
      const kept: Kept = {
        surveys: await surveysAt(db, state.at),
        rows: state,
        ...(this.build && { reached: packed(this.build, l) }),
      };
      ahead();
      await writeColumns(join(this.directory, FILE), FORMAT, kept, ahead);
      rows.changed = 0;
      this.outdated = false;
    } catch (e) {
      if (!(e instanceof Left))
        this.log(`The snapshot of the survey was not written: ${(e as Error).message}`);
    }
  }

  /** Ends what is being written. */
  leave(): void {
    this.writing++;
  }

  /** Takes away what is kept. */
  async drop(): Promise<void> {
    this.leave();
    for (const name of await readdir(this.directory).catch(() => []))
      if (name.startsWith(FILE)) await rm(join(this.directory, name), { force: true });
  }
}

class Left extends Error {}
