/** What is half done and ends by itself, by key: each is taken once. */
import type { Db } from './db.ts';

/** Nothing that is half done is good for longer. */
const LONGEST_MS = 10 * 60_000;

/** Keeps a value under a key, in place of one that is there. */
export async function putPending(
  db: Db,
  key: string,
  account: number | null,
  value: unknown,
  now: Date,
): Promise<void> {
  await db.query('delete from pending where made_at <= $1', [new Date(now.getTime() - LONGEST_MS)]);
  await db.query(
    `insert into pending (key, account, value, made_at) values ($1, $2, $3::jsonb, $4)
     on conflict (key) do update set account = excluded.account, value = excluded.value, made_at = excluded.made_at`,
    [key, account, JSON.stringify(value), now],
  );
}

/** The value of a key that has not ended. */
export async function readPending<T>(db: Db, key: string, now: Date): Promise<T | undefined> {
  const [row] = await db.query<{ value: T }>('select value from pending where key = $1 and made_at > $2', [
    key,
    new Date(now.getTime() - LONGEST_MS),
  ]);
  return row?.value;
}

/** Takes it away with its value: of several who ask at once, one gets it. */
export async function takePending<T>(db: Db, key: string, now: Date): Promise<T | undefined> {
  const [row] = await db.query<{ value: T }>(
    'delete from pending where key = $1 and made_at > $2 returning value',
    [key, new Date(now.getTime() - LONGEST_MS)],
  );
  return row?.value;
}
