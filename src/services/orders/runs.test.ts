/** Runs with a clock of the test's own: it jumps, forwards and back, and the application is begun anew at any moment. */
import fc from 'fast-check';
import { afterEach, describe, expect, it } from 'vitest';
import type { Order, Step } from '../../core/orders/schema.ts';
import { writeSetting } from '../../store/settings.ts';
import type { OpenDb } from '../../store/db.ts';
import { ownDb } from '../../../tests/own-db.ts';
import { ownOrders } from '../../../tests/own-orders.ts';

const DAY = 86_400_000;
let db: OpenDb;
let now = Date.parse('2026-03-01T12:00:00Z');
const clock = (): Date => new Date(now);
ownDb((own) => void (db = own));

/** What was sent, by Message-ID. */
const sent: string[] = [];
const begin = () => ownOrders(db, clock, sent);
type Application = Awaited<ReturnType<typeof begin>>;

const tell: Step = { do: 'tell', to: [{ address: 'reader@tarntide.example' }], subject: 's', text: 't' };
let made = 0;
/** Begins a run of an order with such steps, and gives its number. */
async function run({ orders }: Application, ...steps: Step[]): Promise<number> {
  const order: Order = {
    format: 'gate-lantern-order',
    version: 1,
    name: `Order ${++made}`,
    severity: 'critical',
    on: true,
    when: { event: ['file.shared'] },
    steps,
  };
  const { id } = await orders.put(order, 'ada@tarntide.example');
  const beginning = { order: { id, version: 1 }, cause: `test ${made}`, about: `test ${made}`, doc: {} };
  await db.transaction((tx) => orders.begin.add(tx, [beginning]));
  const [row] = await db.query<{ id: number }>('select max(id) as id from order_run');
  return row!.id;
}
const dueOf = async (id: number): Promise<string | undefined> =>
  (
    await db.query<{ due: Date | null }>('select due from order_run where id = $1', [id])
  )[0]?.due?.toISOString();

afterEach(() => void (sent.length = 0));

describe('a run that waits', () => {
  it('goes on once when its time has come, whatever the clock does meanwhile', async () => {
    const app = await begin();
    const id = await run(app, { do: 'wait', for: 'P4W' }, tell);
    const from = now;
    await app.look();
    expect(await dueOf(id)).toBe(new Date(from + 28 * DAY).toISOString());
    for (const days of [27, -12, 27.9]) {
      now = from + days * DAY;
      await app.look();
      expect(sent).toEqual([]);
    }
    now = from + 29 * DAY;
    await app.look();
    expect(sent).toHaveLength(1);
    for (const days of [1, 60]) {
      now = from + days * DAY;
      await app.look();
    }
    expect(sent).toHaveLength(1);
    expect(await dueOf(id)).toBeUndefined();
    await app.close();
  });

  it.each([
    // by the clock of Oslo a day is 23 hours long in the night to 2026-03-29, and 25 in that to 2026-10-25
    ['2026-03-28T12:00:00Z', 'P1D', '2026-03-29T11:00:00.000Z'],
    ['2026-03-28T12:00:00Z', 'PT24H', '2026-03-29T12:00:00.000Z'],
    ['2026-10-24T12:00:00Z', 'P1D', '2026-10-25T13:00:00.000Z'],
    ['2026-03-28T01:30:00Z', 'P1D', '2026-03-29T01:30:00.000Z'],
  ])('begun at %s waits %s by the clock of its zone, until %s', async (from, time, until) => {
    await writeSetting(db, 'schedule', { zone: 'Europe/Oslo', full: null, incremental: null });
    now = Date.parse(from);
    const app = await begin();
    const id = await run(app, { do: 'wait', for: time });
    await app.look();
    expect(await dueOf(id)).toBe(until);
    now = Date.parse(until);
    await app.look();
    expect(await dueOf(id)).toBeUndefined();
    await app.close();
  });

  it('sends each message once, whatever the clock does and whenever the application is begun anew', async () => {
    const step = fc.oneof(
      fc.record({ jump: fc.integer({ min: -10 * DAY, max: 20 * DAY }) }),
      fc.constant({ anew: true as const }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 8 }), async (list) => {
        sent.length = 0;
        let app = await begin();
        await run(app, { do: 'wait', for: 'P1W' }, tell, { do: 'wait', for: 'PT30H' }, tell);
        await app.look();
        for (const one of list) {
          if ('jump' in one) now += one.jump;
          else {
            await app.close();
            app = await begin();
          }
          await app.look();
          expect(new Set(sent).size).toBe(sent.length);
        }
        for (let n = 0; n < 3; n++) {
          now += 60 * DAY;
          await app.look();
        }
        expect(sent).toHaveLength(2);
        expect(new Set(sent).size).toBe(2);
        await app.close();
      }),
      { numRuns: 15 },
    );
  });
});
