/** An installation's store carried to another place: from PGlite to a PostgreSQL server, or back. */
import { openDb } from '../store/db.ts';
import { dumpTables, restoreTables, schemaOf, type Counted, type RowSum } from '../store/dump.ts';

/**
 * Copies every row into a store that holds none, reads it all back from there, and compares each table by its rows. What is
 * at the old place stays. Throws a sentence where something differs; then nothing is at the new place.
 */
export async function moveStore(from: string, to: string): Promise<{ tables: number; rows: number }> {
  const [source, target] = [await openDb(from), await openDb(to)];
  try {
    if ((await target.query('select 1 from account limit 1')).length)
      throw new Error('There is an installation at the new place already.');
    if (JSON.stringify(await schemaOf(source)) !== JSON.stringify(await schemaOf(target)))
      throw new Error('The store is of another version of Gate Lantern. Start this one on it first.');
    const there: Counted = {};
    await source.transaction(async (out) => {
      const sent: Counted = {};
      const [gone, come] = [new Map<string, RowSum>(), new Map<string, RowSum>()];
      await target.transaction(async (tx) => {
        await restoreTables(tx, dumpTables(out, sent, gone));
        for await (const _ of dumpTables(tx, there, come));
        for (const [name, { rows }] of Object.entries(sent))
          if (there[name]?.rows !== rows || come.get(name)!.value !== gone.get(name)!.value)
            throw new Error(`The rows of ${name} are not the same at the new place.`);
      });
    });
    return {
      tables: Object.keys(there).length,
      rows: Object.values(there).reduce((n, t) => n + t.rows, 0),
    };
  } finally {
    await source.close();
    await target.close();
  }
}
