/** Signals on a real database: told late by days, in any parts, over ends of the application; what is kept is what a plain reading of the log finds. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { ownDb } from '../../../tests/own-db.ts';
import type { Pattern } from '../../core/guard/patterns.ts';
import { signals as plainly } from '../../core/guard/windows.ts';
import type { OpenDb } from '../../store/db.ts';
import { Ledger } from '../ledger.ts';
import { EventLog, eventOf } from './log.ts';
import { Signals } from './signals.ts';

let db: OpenDb;
ownDb((own) => void (db = own));
const LATER = (): Date => new Date('2026-06-01T12:00:00Z');
const MINUTE = 60_000;
const FROM = Date.parse('2026-05-01T00:00:00Z');

const patterns: Pattern[] = [
  {
    name: 'Many things by one person',
    purpose: '',
    severity: 'high',
    on: true,
    window: { by: 'actor', distinct: 'item', count: 3, within: 'PT8H', if: 'type != "file.opened"' },
  },
  {
    name: 'Each thing shared outside',
    purpose: '',
    severity: 'low',
    on: true,
    window: { by: 'item', distinct: 'id', count: 1, within: 'PT30M', if: 'outside' },
  },
];
const begin = (clock = LATER) => {
  const nothing = () => Promise.resolve(undefined);
  const engine = { ask: { placed: nothing, reachWithout: nothing } };
  const signals = new Signals(db, new Ledger(db, clock), engine, { emit: () => undefined }, clock);
  const events = new EventLog(db, engine, clock);
  return { signals, events };
};
const empty = async (): Promise<void> => {
  for (const table of [
    'signal_event',
    'signal',
    'follower',
    'happened',
    'signal_pattern_version',
    'signal_pattern',
  ])
    await db.query(`delete from ${table}`);
};
const some = fc.record({
  // some days, so that most of what comes late is later than what is held
  minute: fc.integer({ min: 0, max: 3 * 24 * 60 }),
  actor: fc.constantFrom('ada', 'bo', ''),
  item: fc.constantFrom('i1', 'i2', 'i3', 'i4', ''),
  type: fc.constantFrom('file.shared', 'file.opened', 'file.downloaded'),
  outside: fc.boolean(),
});

it('are what the whole log holds, whenever it was told', async () => {
  let [found, together] = [0, 0];
  await fc.assert(
    fc.asyncProperty(
      fc.array(some, { minLength: 5, maxLength: 60, size: 'max' }),
      fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 8, maxLength: 8 }),
      fc.integer({ min: 2, max: 5 }),
      async (list, sizes, restart) => {
        await empty();
        let app = begin();
        for (const p of patterns) await app.signals.put(p, 'ada');
        const events = list.map((o, n) => ({
          specversion: '1.0',
          id: `e${n}`,
          source: '/w',
          type: o.type,
          subject: o.item || undefined,
          time: new Date(FROM + o.minute * MINUTE).toISOString(),
          data: { actor: o.actor || undefined, outside: o.outside },
        }));
        for (let at = 0, n = 0; at < events.length; n++) {
          const size = sizes[n % sizes.length]!;
          // the last of those before come twice
          await app.events.take('w', events.slice(Math.max(0, at - 2), at + size));
          at += size;
          if (n % restart === 0) {
            // it ends without having looked at what is new
            app = begin();
          } else await app.signals.look();
        }
        await app.signals.look();
        const rows = await db.query<Parameters<typeof eventOf>[0]>('select seq, time, doc from happened');
        expect(rows.length).toBe(events.length);
        const ids = await app.signals.patterns();
        const parts: string[][] = [];
        for (const p of ids) {
          const wanted = plainly(rows.map(eventOf), p.window).map((s) => ({
            key: s.key,
            from: new Date(s.from).toISOString(),
            to: new Date(s.to).toISOString(),
            values: s.distinct,
            events: s.events.map((e) => e.id).sort(),
          }));
          parts.push(...wanted.map((s) => s.events));
          found += wanted.length;
          const kept = await db.query<{
            key: string;
            first_at: Date;
            last_at: Date;
            distinct_values: number;
            events: string[];
          }>(
            `select s.key, s.first_at, s.last_at, s.distinct_values,
               (select array_agg(h.id order by h.id) from signal_event e join happened h on h.seq = e.seq where e.signal = s.id) as events
             from signal s where s.pattern = $1 order by s.first_at, s.key`,
            [p.id],
          );
          expect(
            kept.map((s) => ({
              key: s.key,
              from: s.first_at.toISOString(),
              to: s.last_at.toISOString(),
              values: s.distinct_values,
              events: [...s.events].sort(),
            })),
          ).toEqual(wanted);
        }
        // what shares an event is one
        const shown = await app.signals.list({ state: 'all' }, { limit: 500, offset: 0 });
        const groups: Set<string>[] = [];
        for (const events of parts) {
          const mine = groups.filter((g) => events.some((e) => g.has(e)));
          for (const g of mine) groups.splice(groups.indexOf(g), 1);
          groups.push(new Set([...events, ...mine.flatMap((g) => [...g])]));
        }
        expect(shown.rows.map((s) => s.events).sort((a, b) => a - b)).toEqual(
          groups.map((g) => g.size).sort((a, b) => a - b),
        );
        together += parts.length - groups.length;
      },
    ),
    { numRuns: 30 },
  );
  expect(Math.min(found, together)).toBeGreaterThan(8);
});

it('keep the events that they are made of, and nothing is dropped that was not looked at', async () => {
  await empty();
  const { signals, events } = begin();
  await signals.put(patterns[0]!, 'ada');
  const told = (id: string, minute: number, item: string) => ({
    specversion: '1.0',
    id,
    source: '/w',
    type: 'file.shared',
    subject: item,
    time: new Date(FROM + minute * MINUTE).toISOString(),
    data: { actor: 'ada' },
  });
  const ids = async () =>
    (await db.query<{ id: string }>('select id from happened order by time')).map((r) => r.id);
  await events.take('w', [told('a', 0, 'i1'), told('b', 1, 'i2'), told('c', 2, 'i3'), told('d', 900, 'i4')]);
  expect(await events.drop(1)).toBe(0);
  await signals.look();
  expect(await events.drop(1)).toBe(1);
  expect(await ids()).toEqual(['a', 'b', 'c']);
  // what is still held of it, and is not there, is in no signal
  await events.take('w', [told('e', 901, 'i5'), told('f', 902, 'i6')]);
  await signals.look();
  const { rows } = await signals.list({ state: 'all' }, { limit: 10, offset: 0 });
  expect(rows.map((s) => s.events).sort()).toEqual([2, 3]);
  expect(await signals.list({ state: 'waiting', text: 'many' }, { limit: 10, offset: 0 })).toMatchObject({
    total: 2,
  });
});

it('ignored until a day are so with others of the same, and nothing follows on them; of another they wait', async () => {
  await empty();
  let at = new Date(FROM + 100 * MINUTE);
  const app = begin(() => at);
  const told: string[] = [];
  app.signals.onFound = (_tx, s) => Promise.resolve(void told.push(s.name));
  const window = { by: 'actor', distinct: 'id', count: 1, within: 'PT1M' } as const;
  await app.signals.put({ name: 'Each', purpose: '', severity: 'high', on: true, window }, 'ada');
  let n = 0;
  const happen = async (actor: string): Promise<string[]> => {
    at = new Date(at.getTime() + 2 * 60 * MINUTE);
    await app.events.take('w', [
      {
        specversion: '1.0',
        id: `x${++n}`,
        source: '/w',
        type: 'file.shared',
        time: at.toISOString(),
        data: { actor },
      },
    ]);
    await app.signals.look();
    const { rows } = await app.signals.list({ state: 'all' } as never, { limit: 50, offset: 0 });
    return rows.map((r) => `${r.parts[0]!.key} ${r.state}`).sort();
  };
  expect(await happen('ada')).toEqual(['ada waiting']);
  const [first] = (await app.signals.list({ state: 'all' } as never, { limit: 50, offset: 0 })).rows;
  const day = (days: number): string =>
    new Date(at.getTime() + days * 24 * 60 * MINUTE).toISOString().slice(0, 10);
  await expect(
    app.signals.settle([first!.id], { state: 'ignored', note: '', until: day(-2) }, 'ada'),
  ).rejects.toMatchObject({ code: 'past' });
  await app.signals.settle([first!.id], { state: 'ignored', note: 'the auditors', until: day(7) }, 'ada');
  expect(await happen('ada')).toEqual(['ada ignored', 'ada ignored']);
  expect(await happen('bo')).toEqual(['ada ignored', 'ada ignored', 'bo waiting']);
  expect(told).toEqual(['Each', 'Each']);
  at = new Date(at.getTime() + 8 * 24 * 60 * MINUTE);
  expect(await happen('ada')).toContain('ada waiting');
  expect(told).toHaveLength(3);
});
