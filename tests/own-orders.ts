import { Events } from '../src/services/events.ts';
import { Jobs } from '../src/services/jobs.ts';
import { Alerts } from '../src/services/messages/alerts.ts';
import { Outbox } from '../src/services/messages/outbox.ts';
import { Orders } from '../src/services/orders/orders.ts';
import type { OrderParts } from '../src/services/orders/parts.ts';
import { GOING_ON } from '../src/services/orders/rows.ts';
import type { OpenDb } from '../src/store/db.ts';
import { ownAccounts } from './own-accounts.ts';

/**
 * Standing orders over a test's own database, begun as the application begins them, with nothing surveyed and mail that arrives:
 * `sent` has each Message-ID.
 */
export async function ownOrders(db: OpenDb, clock: () => Date, sent: string[]) {
  const { ledger, secrets } = ownAccounts(db, clock);
  const events = new Events();
  const jobs = new Jobs(db, events, clock);
  const mail = {
    ready: true,
    site: 'http://lantern.example',
    send: ({ id }: { id?: string }) => Promise.resolve(void sent.push(id!)),
  };
  const outbox = new Outbox(db, ledger, jobs, mail as never, () => Promise.resolve(), secrets, clock);
  const nothing = () => Promise.resolve([]);
  const ask = { recipients: nothing, thingFacts: nothing, channels: nothing, recharter: nothing };
  const parts = {
    db,
    ledger,
    jobs,
    events,
    outbox,
    mail,
    secrets,
    clock,
    engine: { ask },
    surveys: { live: nothing },
    present: { survey: undefined, subscribe: () => undefined },
    plans: {},
  };
  const alerts = new Alerts(parts as unknown as OrderParts);
  const orders = new Orders(parts as unknown as OrderParts);
  await jobs.takeUp();
  await orders.start();
  await outbox.start();
  return {
    orders,
    alerts,
    parts: parts as unknown as OrderParts,
    /** What the engine is asked; a test may have it fail. */
    ask,
    /** Goes on with all that is due now. */
    look: async (): Promise<void> => {
      for (let n = 0; n < 3; n++) {
        await jobs.look();
        await jobs.wait(GOING_ON);
        await jobs.wait('alerts');
        await jobs.wait('review-rhythm');
        await jobs.wait('rounds');
        await jobs.wait('messages');
      }
    },
    close: async (): Promise<void> => {
      await orders.close();
      await jobs.close();
    },
  };
}
