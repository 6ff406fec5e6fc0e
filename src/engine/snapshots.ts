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
import { SurveyRows, type RowsState } from './rows.ts';

/** To be raised whenever what the file holds, or what is made of rows as they are read, changes. */
const FORMAT = 1;
const FILE = 'rows.columns';

interface Kept {
  /** Which surveys the rows are the sum of. */
  surveys: string;
  rows: RowsState;
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

  constructor(
    private readonly db: Db,
    private readonly directory: string,
    private readonly log: (text: string) => void,
  ) {}

  /** The rows as they were kept; undefined where they cannot be used. */
  async read(): Promise<SurveyRows | undefined> {
    try {
      const { surveys, rows } = (await readColumns(join(this.directory, FILE), FORMAT)) as Kept;
      const [survey] = await this.db.query<{ taken_at: Date }>(
        "select taken_at from survey where id = $1 and state = 'done'",
        [rows.at.survey],
      );
      if (!survey || (await surveysAt(this.db, rows.at)) !== surveys)
        throw new Error('It is of another store, or of a survey that is not kept any more.');
      return await SurveyRows.restored(this.db, rows, survey.taken_at.toISOString());
    } catch (e) {
      if ((e as NodeJS.ErrnoException).code !== 'ENOENT')
        this.log(`The snapshot of the last survey was not used, and all is read: ${(e as Error).message}`);
      return undefined;
    }
  }

  /** Keeps the rows for the next start. Gives up, and leaves what was there, where `leave` or another write comes in between. */
  async write(rows: SurveyRows): Promise<void> {
    const mine = ++this.writing;
    const ahead = (): void => {
      if (mine !== this.writing) throw new Left();
    };
    try {
      await mkdir(this.directory, { recursive: true, mode: 0o700 });
      const state = rows.state();
      const kept: Kept = { surveys: await surveysAt(this.db, state.at), rows: state };
      ahead();
      await writeColumns(join(this.directory, FILE), FORMAT, kept, ahead);
      rows.changed = 0;
    } catch (e) {
      if (!(e instanceof Left))
        this.log(`The snapshot of the survey was not written: ${(e as Error).message}`);
    }
  }

  /** Ends what is being written: the rows are about to change. */
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
