/** What files are scanned with, as it is set now. */
import type { CustomType } from '../core/recognise/custom.ts';
import type { Db } from '../store/db.ts';
import { readPictures } from '../store/settings.ts';
import type { Recogniser } from './scan/pool.ts';

/** What files are scanned with: the data types that stewards made and are looked for, and whether pictures are read. */
export async function readRecogniser(db: Db): Promise<Recogniser> {
  const rows = await db.query<{ doc: CustomType }>('select doc from custom_type where active order by id');
  return { custom: rows.map((r) => r.doc), pictures: await readPictures(db) };
}
