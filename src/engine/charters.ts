/** What spaces are for, as the store has it, and what of a survey that comes to. */
import { type Charter, type Charters, type Purpose, type Sensitivity } from '../core/ask/charter.ts';
import type { Db } from '../store/db.ts';

/** What is kept of it follows changes, in every survey. */
export interface CharterBook {
  now: Charters;
  /** Another number wherever it is something else. */
  version: number;
}

let version = 0;
export async function readCharters(db: Db): Promise<Charters> {
  const docs = async <T extends { id: string }>(table: 'purpose' | 'sensitivity'): Promise<Map<string, T>> =>
    new Map(
      (await db.query<{ doc: T }>(`select doc from ${table} order by id`)).map(({ doc }) => [doc.id, doc]),
    );
  const of = await db.query<Charter & { space: string }>('select space, purpose, sensitivity from charter');
  const kept = await db.query<{ space: string; until: string }>(
    'select space, until::text as until from space_kept',
  );
  const wishes = await db.query<{ space: string; person: string; by: string }>(
    'select space, person, by from space_wish',
  );
  return {
    purposes: await docs<Purpose>('purpose'),
    sensitivities: await docs<Sensitivity>('sensitivity'),
    of: new Map(of.map(({ space, ...c }) => [space, c])),
    kept: new Map(kept.map(({ space, until }) => [space, Date.parse(until) + 86_400_000])),
    wishes: new Map(wishes.map(({ space, ...w }) => [space, w])),
  };
}
export const bookOf = (now: Charters): CharterBook => ({ now, version: ++version });
