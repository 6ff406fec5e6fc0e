/** Writes pairs of rows in transactions and prints each number once it is confirmed, until it is killed. */
import { openDb } from '../src/store/db.ts';

const db = await openDb(process.argv[2]!);
await db.query('create table if not exists pair (n int not null, part int not null)');
const [last] = await db.query<{ n: number }>('select coalesce(max(n), 0)::int as n from pair');
for (let n = last!.n + 1; ; n++) {
  await db.transaction(async (tx) => {
    await tx.query('insert into pair values ($1, 1)', [n]);
    await tx.query('insert into pair values ($1, 2)', [n]);
  });
  process.stdout.write(`${n}\n`);
}
