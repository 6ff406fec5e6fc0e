import { describe, expect, it } from 'vitest';
import { ownDb } from '../../../tests/own-db.ts';
import { ownOrders } from '../../../tests/own-orders.ts';
import type { OpenDb } from '../../store/db.ts';

let db: OpenDb;
let now = Date.parse('2026-03-01T12:00:00Z');
ownDb((own) => void (db = own));

describe('something that cannot be told', () => {
  it('is kept, said to be untold, keeps nothing else back, and is told once when it can be', async () => {
    const sent: string[] = [];
    const app = await ownOrders(db, () => new Date(now), sent);
    const to = [{ address: 'reader@tarntide.example' }];
    await app.alerts.setRules(
      [{ kinds: ['suspended'], from: 'low', workspaces: [], types: [], to, gathered: false }],
      'ada@tarntide.example',
    );
    const suspend = (subject: string) =>
      db.transaction((tx) =>
        app.alerts.onDeed(tx, { who: 'ada', what: 'sharing.suspended', subject }, subject.length),
      );
    const { thingFacts } = app.ask;
    app.ask.thingFacts = ((_: unknown, things: string[]) =>
      things[0] === 'u1' ? Promise.reject(new Error('the engine is away')) : Promise.resolve([])) as never;
    await suspend('u1');
    await suspend('another');
    await app.look();
    expect(sent).toHaveLength(1);
    expect(await app.alerts.untold()).toEqual({ n: 1, trouble: 'Error: the engine is away' });
    // still away a minute later; then it is back, and nothing is told before its time
    now += 61_000;
    await app.look();
    app.ask.thingFacts = thingFacts;
    now += 61_000;
    await app.look();
    expect(sent).toHaveLength(1);
    now += 300_000;
    await app.look();
    expect(sent).toHaveLength(2);
    expect(await app.alerts.untold()).toBeUndefined();
    await app.close();
  });
});
