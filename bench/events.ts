/**
 * Events through windows and standing orders as they come: twenty patterns and thirty orders over a million events, and one
 * pattern against SQL's window functions.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { PGlite } from '@electric-sql/pglite';
import type { Happened } from '../src/core/guard/events.ts';
import { madeEvent } from '../tests/events.ts';
import { PATTERN_STARTERS, type Window } from '../src/core/guard/patterns.ts';
import { Stream } from '../src/core/guard/stream.ts';
import { ORDER_STARTERS } from '../src/core/orders/starters.ts';
import { beginnings, matchingOf } from '../src/services/orders/begin.ts';
import { openDb } from '../src/store/db.ts';
import { ownOrders } from '../tests/own-orders.ts';
import { ratio } from './ratios.ts';

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const PEOPLE = 2000;
const TYPES = [
  'file.opened',
  'file.edited',
  'file.downloaded',
  'file.shared',
  'link.made',
  'grant.made',
  'setting.changed',
];
const HOUR = 3_600_000;
const AT_ONCE = 1000;
const WINDOWS = 20;
const ORDERS = 30;
/** Of so many it is asked of the database, too. */
const IN_SQL = 100_000;

setFlagsFromString('--expose-gc');
const collect = runInNewContext('gc') as () => void;
/** What is held, in bytes, once what is not is collected. */
function heap(): number {
  collect();
  return process.memoryUsage().heapUsed;
}

/** A number of 32 bits that looks like chance (the finaliser of MurmurHash3, from memory). */
function mixed(n: number): number {
  let h = Math.imul(n ^ (n >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}
/** Some ten a second, each up to five minutes late. */
function event(n: number): Happened {
  const h = mixed(n + 1);
  const outside = h % 9 === 0;
  return madeEvent({
    id: `e${n}`,
    source: '/bench',
    type: TYPES[mixed(n + 3) % TYPES.length]!,
    time: n * 100 - (mixed(n + 7) % 300_000) + 1e9,
    actor: `u${(h >>> 3) % PEOPLE}`,
    item: `i${(h >>> 5) % 100_000}`,
    target: outside ? `x@d${(h >>> 4) % 500}.example` : '',
    outside,
    role: 'reader',
    device: h % 11 ? 'managed' : 'unmanaged',
    weight: (h >>> 2) % 5 ? 0 : 3,
    name: `file ${h % 1000}.pdf`,
    domain: outside ? `d${(h >>> 4) % 500}.example` : '',
  });
}

export async function events(scale: number): Promise<void> {
  const N = Math.round(1e6 * scale);
  const windows: Window[] = Array.from(
    { length: WINDOWS },
    (_, n) => PATTERN_STARTERS[n % PATTERN_STARTERS.length]!.window,
  );
  const streams = windows.map((w) => new Stream(w, HOUR, 0));
  const TENTH = Math.floor(N / 10 / AT_ONCE) * AT_ONCE;
  let [found, taken, most, early] = [0, 0, 0, NaN];
  for (let at = 0; at < N; at += AT_ONCE) {
    const some = Array.from({ length: Math.min(AT_ONCE, N - at) }, (_, k) => event(at + k));
    const began = performance.now();
    for (const s of streams) found += s.feed(some).length;
    taken += performance.now() - began;
    if (at % (AT_ONCE * 100) === 0) most = Math.max(most, ...streams.map((s) => s.held));
    if (at === TENTH) early = heap();
  }
  const late = heap();
  say(
    `${N.toLocaleString('en')} events through ${WINDOWS} patterns: ${Math.round((1000 * N) / taken).toLocaleString('en')} a second; ${found.toLocaleString('en')} times a signal grew; ${most.toLocaleString('en')} events held by one at most; ${(early / 1e6).toFixed(0)} MB of heap after a tenth of them, ${(late / 1e6).toFixed(0)} MB after all`,
  );
  ratio('events: heap after all of them, against a tenth', late, early);

  const byEvent = ORDER_STARTERS.filter((o) => 'event' in o.when);
  const matching = matchingOf(
    Array.from({ length: ORDERS }, (_, k) => ({
      id: k,
      version: 1,
      doc: byEvent[k % byEvent.length]!,
      made_at: new Date(0),
      made_by: 'bench',
    })),
    0,
  );
  let [begun, asked] = [0, 0];
  const before = heap();
  for (let at = 0; at < N; at += AT_ONCE) {
    const some = Array.from({ length: Math.min(AT_ONCE, N - at) }, (_, k) => {
      const { time, ...doc } = event(at + k);
      return {
        seq: at + k,
        told_by: 'bench',
        time: new Date(time),
        received_at: new Date(time),
        actor_key: doc.actor,
        node_key: doc.item,
        doc,
      };
    });
    const began = performance.now();
    for (const s of some) begun += beginnings(matching, s).length;
    asked += performance.now() - began;
  }
  const grown = (heap() - before) / 1e6;
  say(
    `${N.toLocaleString('en')} events through ${ORDERS} orders: ${Math.round((1000 * N) / asked).toLocaleString('en')} a second, and through both ${Math.round((1000 * N) / (asked + taken)).toLocaleString('en')}; ${begun.toLocaleString('en')} runs would have begun; ${grown.toFixed(0)} MB of heap more than before`,
  );

  const n = Math.min(N, IN_SQL);
  const all = Array.from({ length: n }, (_, k) => event(k));
  const one: Window = { by: 'actor', distinct: 'id', count: 5, within: 'PT1H', if: 'type == "file.opened"' };
  const stream = new Stream(one, HOUR, 0);
  let began = performance.now();
  let ours = 0;
  for (let at = 0; at < n; at += AT_ONCE)
    for (const g of stream.feed(all.slice(at, at + AT_ONCE))) ours += g.added.length;
  const own = performance.now() - began;
  const db = await PGlite.create();
  await db.exec('create table e (id text, type text, actor text, time bigint)');
  await db.query('insert into e select * from unnest($1::text[], $2::text[], $3::text[], $4::bigint[])', [
    all.map((e) => e.id),
    all.map((e) => e.type),
    all.map((e) => e.actor),
    all.map((e) => e.time),
  ]);
  await db.exec('create index on e (actor, time)');
  began = performance.now();
  const { rows } = await db.query<{ n: number }>(
    `with counted as (select actor, time, count(*) over (partition by actor order by time range between 3599999 preceding and current row) as c
       from e where type = 'file.opened'),
     covered as (select min(case when c >= 5 then time end) over (partition by actor order by time range between current row and 3599999 following) as by
       from counted)
     select count(*)::int as n from covered where by is not null`,
  );
  const theirs = performance.now() - began;
  await db.close();
  if (rows[0]!.n !== ours) throw new Error(`SQL finds ${rows[0]!.n} events in signals, the stream ${ours}.`);
  say(
    `one pattern over ${n.toLocaleString('en')}, as they come: ${own.toFixed(0)} ms; SQL window functions over all of them at once: ${theirs.toFixed(0)} ms; the same ${ours.toLocaleString('en')} events in signals`,
  );
  ratio('events: a pattern as events come, against SQL window functions', own, theirs);
  await timers(Math.round(100_000 * scale));
}

/** What runs that wait cost whoever does not: a start, and one run that is due, with none and with many of them. */
async function timers(waiting: number): Promise<void> {
  const home = mkdtempSync(join(tmpdir(), 'gl-bench-'));
  const db = await openDb(join(home, 'db'));
  const now = new Date('2026-03-01T12:00:00Z');
  const order = { ...ORDER_STARTERS[0]!, on: true, steps: [{ do: 'wait', for: 'P4W' }] };
  const first = await ownOrders(db, () => now, []);
  const { id } = await first.orders.put(order, 'bench');
  await first.close();
  const once = async (): Promise<[start: number, look: number]> => {
    let began = performance.now();
    const app = await ownOrders(db, () => now, []);
    await app.look();
    const start = performance.now() - began;
    await db.query(
      "insert into order_run (standing_order, version, cause, about, state, at, due, began_at, doc) values ($1, 1, $2, $2, 'ready', 0, $3, $3, '{}')",
      [id, `once ${began}`, now],
    );
    await db.transaction((tx) => app.orders.runs.due(tx));
    began = performance.now();
    await app.look();
    const look = performance.now() - began;
    await app.close();
    return [start, look];
  };
  await once();
  const none = await once();
  await db.query(
    `insert into order_run (standing_order, version, cause, about, state, at, due, began_at, doc)
     select $1, 1, 'many ' || n, 'many ' || n, 'waiting', 0, $2::timestamptz + n * interval '1 second', $2, '{}' from generate_series(1, $3::int) n`,
    [id, now, waiting],
  );
  await db.query('analyze order_run');
  const many = await once();
  await db.close();
  rmSync(home, { recursive: true });
  const words = ([start, look]: readonly number[]): string =>
    `a start in ${start!.toFixed(0)} ms, one that is due in ${look!.toFixed(0)} ms`;
  say(`runs that wait: none, ${words(none)}; ${waiting.toLocaleString('en')}, ${words(many)}`);
  ratio(`a start with ${waiting} runs that wait, against none`, many[0], none[0]);
  ratio(`a run that is due beside ${waiting} that wait, against none`, many[1], none[1]);
}
