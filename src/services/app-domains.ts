/** Whether the domains to which apps answer are registered: looked up once a day, where a steward says with which server. */
import { registry } from '../connectors/rdap.ts';
import { checkAddress } from '../connectors/address.ts';
import { ConnectorError } from '../connectors/port.ts';
import type { AppDomainsPage } from '../dto/apps.ts';
import type { Engine } from '../engine/engine.ts';
import type { Db, OpenDb } from '../store/db.ts';
import { readSetting, writeSetting } from '../store/settings.ts';
import type { Events } from './events.ts';
import type { Jobs } from './jobs.ts';
import type { Ledger } from './ledger.ts';
import { BY_ITSELF } from './policies/rows.ts';

const KIND = 'app-domains';
const SETTING = 'registry';
const DAY = 86_400_000;
/** Registrations that end within so many days are told of. */
const SOON_DAYS = 30;
/** So many are looked up in one turn: what is left comes an hour later. */
const MOST_AT_ONCE = 2000;
const HOUR = 3_600_000;

interface Setting {
  url: string | null;
  trouble: string | null;
}
interface Row {
  domain: string;
  registered: boolean;
  ends: Date | null;
  looked_at: Date;
}

export class AppDomains {
  /** Called when apps are another risk than before. */
  onChange: () => Promise<void> = () => Promise.resolve();

  constructor(
    private readonly parts: {
      db: OpenDb;
      ledger: Ledger;
      engine: Engine;
      events: Events;
      jobs: Jobs;
      clock: () => Date;
    },
    private readonly localToo = process.env.GATE_LANTERN_LOCAL_SOURCES === '1',
  ) {
    parts.jobs.declare(KIND, {
      broken: 'again',
      quiet: true,
      run: async ({ signal }) => ({ state: 'done', next: await this.work(signal) }),
    });
  }

  private async setting(db: Db = this.parts.db): Promise<Setting> {
    return (await readSetting<Setting>(db, SETTING)) ?? { url: null, trouble: null };
  }

  async page(): Promise<AppDomainsPage> {
    const { db, engine, clock } = this.parts;
    const now = clock().getTime();
    const { url, trouble } = await this.setting();
    const domains = (await engine.ask.appDomains(undefined)) ?? [];
    const rows = await db.query<Row>('select * from app_domain where domain = any($1)', [
      domains.map((d) => d.domain),
    ]);
    const appsOf = new Map(domains.map((d) => [d.domain, d.apps]));
    const endOf = (r: Row): number => (r.registered ? (r.ends?.getTime() ?? Infinity) : 0);
    return {
      url,
      trouble,
      domains: domains.length,
      known: rows.length,
      lookedAt: rows.length
        ? new Date(Math.max(...rows.map((r) => r.looked_at.getTime()))).toISOString()
        : null,
      ending: rows
        .filter((r) => endOf(r) <= now + SOON_DAYS * DAY)
        .sort((a, b) => endOf(a) - endOf(b))
        .map((r) => ({
          domain: r.domain,
          apps: appsOf.get(r.domain)!,
          registered: r.registered,
          ends: r.ends?.toISOString() ?? null,
          over: endOf(r) <= now,
        })),
    };
  }

  /**
   * Says which server is asked, or that none is; what another said of domains is forgotten. Of the same once more what is still
   * missing is asked.
   */
  async set(given: string | null, by: string): Promise<void> {
    const { db, ledger, jobs } = this.parts;
    const before = await this.setting();
    const url = given?.replace(/\/+$/, '') ?? null;
    if (before.url === url) return this.look();
    if (url !== null) checkAddress(url, this.localToo);
    let forgotten: unknown[] = [];
    await db.transaction(async (tx) => {
      await writeSetting(tx, SETTING, { url, trouble: null });
      forgotten = await tx.query('delete from app_domain returning domain');
      await ledger.add(
        {
          who: by,
          what: 'registry.set',
          subject: url ?? before.url!,
          before: { url: before.url },
          after: { url },
        },
        tx,
      );
      await jobs.add(tx, KIND, 0, BY_ITSELF);
    });
    if (forgotten.length) await this.changed();
    await jobs.look();
  }

  /** Looks up what is due. */
  async look(): Promise<void> {
    const { db, jobs } = this.parts;
    if ((await this.setting()).url === null) return;
    await jobs.add(db, KIND, 0, BY_ITSELF);
    await jobs.look();
  }

  /** Looks up domains of which nothing was heard for a day; gives when it is due again. */
  private async work(signal: AbortSignal): Promise<Date | undefined> {
    const { db, engine, events, clock } = this.parts;
    const setting = await this.setting();
    const { url } = setting;
    if (url === null) return undefined;
    const domains = ((await engine.ask.appDomains(undefined)) ?? []).map((d) => d.domain);
    const since = new Date(clock().getTime() - DAY);
    const fresh = new Set(
      (await db.query<Row>('select * from app_domain where looked_at > $1', [since])).map((r) => r.domain),
    );
    const due = domains.filter((d) => !fresh.has(d));
    const ask = registry({ url, signal, localToo: this.localToo });
    let trouble: string | null = null;
    let changed = false;
    for (const domain of due.slice(0, MOST_AT_ONCE)) {
      try {
        const now = clock();
        const said = await ask(domain, now.getTime());
        const ends = said.registered && said.ends !== null ? new Date(said.ends) : null;
        const before = await db.transaction(async (tx) => {
          // the steward may have said another meanwhile
          if ((await this.setting(tx)).url !== url) return undefined;
          return tx.query(
            `with before as (select registered, ends from app_domain where domain = $1),
               put as (insert into app_domain (domain, registered, ends, looked_at) values ($1, $2, $3, $4)
                 on conflict (domain) do update set registered = excluded.registered, ends = excluded.ends, looked_at = excluded.looked_at)
             select from before where registered = $2 and ends is not distinct from $3::timestamptz`,
            [domain, said.registered, ends, now],
          );
        });
        if (!before) return now;
        if (!before.length) changed = true;
      } catch (e) {
        if (!(e instanceof ConnectorError)) throw e;
        if (signal.aborted) break;
        trouble = `${domain}: ${e.message}`;
        // a server that is away is away for the others, too
        if (e.code === 'gave-up') break;
      }
    }
    if ((await this.setting()).url === url && trouble !== setting.trouble)
      await writeSetting(db, SETTING, { url, trouble });
    if (changed) await this.changed();
    events.emit({ type: 'policies' });
    return new Date(clock().getTime() + (trouble !== null || due.length > MOST_AT_ONCE ? HOUR : DAY));
  }

  private async changed(): Promise<void> {
    await this.parts.engine.ask.relapse();
    await this.onChange();
    this.parts.events.emit({ type: 'policies' });
  }
}
