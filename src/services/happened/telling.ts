/**
 * How sources tell what happens: they send it, signed with a secret as Standard Webhooks have it, or are asked for it; both
 * may tell the same twice.
 */
import { randomBytes } from 'node:crypto';
import { HTTP } from 'cloudevents';
import { Webhook } from 'standardwebhooks';
import type { WorkspaceConnector } from '../../connectors/port.ts';
import type { Taken, Telling as TellingRow } from '../../dto/events.ts';
import type { Db } from '../../store/db.ts';
import { AppError } from '../errors.ts';
import type { Jobs } from '../jobs.ts';
import type { Ledger } from '../ledger.ts';
import { log } from '../log.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import type { Secrets } from '../secrets.ts';
import type { EventLog } from './log.ts';

const PREFIX = 'whsec_';
const SECRET_BYTES = 32;
/** How long after it was asked a source is asked again, in milliseconds. */
const PAUSE = 60_000;
const MOST_AT_ONCE = 1000;
const ASKING = 'ask-events';

interface Connected {
  id: string;
  connector: WorkspaceConnector;
}

export class Telling {
  private readonly stop = new AbortController();

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly secrets: Secrets,
    private readonly events: EventLog,
    private readonly jobs: Jobs,
    private readonly connected: (signal: AbortSignal) => Promise<Connected[]>,
    private readonly clock: () => Date,
  ) {
    jobs.declare(ASKING, {
      broken: 'again',
      quiet: true,
      run: async ({ signal }) => {
        await this.askAll(AbortSignal.any([signal, this.stop.signal]));
        return { state: 'done', next: new Date(this.clock().getTime() + PAUSE) };
      },
    });
  }

  /** Asks no more, whatever it waits for. */
  close(): void {
    this.stop.abort();
  }

  /** Begins to ask, where it is not on the list. */
  async start(): Promise<void> {
    await this.jobs.add(this.db, ASKING, 0, BY_ITSELF);
  }

  /**
   * Takes what a source sends: a CloudEvent in structured or binary mode, or a batch of them. Throws where the signature is
   * not right, or nothing of it is an event.
   */
  async receive(source: string, headers: Headers, body: string): Promise<Taken> {
    const secret = await this.secretOf(source);
    const given = Object.fromEntries(headers);
    try {
      // one that is not there is refused as one is whose signature is wrong
      if (secret === undefined) throw new Error();
      new Webhook(secret).verify(body, given, { jsonParse: false });
    } catch {
      throw new AppError('signature', 401, 'The signature is not right, or too old.');
    }
    const list = read(given, body);
    // headers are not signed, but for this one
    if (given['ce-id'] !== undefined && given['ce-id'] !== given['webhook-id'])
      throw new AppError(
        'id',
        400,
        'In binary mode the id of the event is that of the message: ce-id and webhook-id are to be the same.',
      );
    const taken = await this.events.take(source, list);
    if (taken.wrong.length === list.length && list.length)
      throw new AppError('input', 422, taken.wrong[0]!.wrong.join('; '));
    return taken;
  }

  /** Asks every source for what happened since it was asked last. */
  private async askAll(signal: AbortSignal): Promise<void> {
    for (const { id, connector } of await this.connected(signal)) {
      if (signal.aborted) return;
      try {
        await this.ask(id, connector, signal);
      } catch (e) {
        if (signal.aborted) return;
        const trouble = (e as Error).message;
        log.warn({ source: id, trouble }, 'a source could not be asked what happened');
        await this.note(id, { trouble });
      }
    }
  }

  private async ask(source: string, connector: WorkspaceConnector, signal: AbortSignal): Promise<void> {
    const [row] = await this.db.query<{ cursor: string | null }>(
      'select cursor from event_source where source = $1',
      [source],
    );
    for await (const { events, next } of connector.happened(row?.cursor ?? '')) {
      for (let at = 0; at < events.length; at += MOST_AT_ONCE) {
        const { wrong } = await this.events.take(source, events.slice(at, at + MOST_AT_ONCE));
        if (wrong.length) log.warn({ source, events: wrong.length }, 'events could not be read');
      }
      // what was taken is taken again after a crash here, and kept once
      await this.note(source, { cursor: next, trouble: null });
      if (signal.aborted) return;
    }
  }

  private async note(
    source: string,
    { cursor, trouble }: { cursor?: string; trouble: string | null },
  ): Promise<void> {
    await this.db.query(
      `insert into event_source (source, cursor, asked_at, trouble) values ($1, $2, $3, $4)
       on conflict (source) do update set cursor = coalesce(excluded.cursor, event_source.cursor), asked_at = excluded.asked_at, trouble = excluded.trouble`,
      [source, cursor ?? null, this.clock(), trouble],
    );
  }

  /** How each of some sources tells what happens. */
  async of(sources: readonly { id: string; name: string }[]): Promise<TellingRow[]> {
    const rows = await this.db.query<{
      source: string;
      sends: boolean;
      made_at: Date | null;
      made_by: string | null;
      asked_at: Date | null;
      trouble: string | null;
    }>('select source, secret is not null as sends, made_at, made_by, asked_at, trouble from event_source');
    const told = await this.db.query<{ told_by: string; last: Date; n: number }>(
      'select told_by, max(received_at) as last, count(*)::int as n from happened group by told_by',
    );
    return sources.map(({ id, name }) => {
      const row = rows.find((r) => r.source === id);
      const of = told.find((t) => t.told_by === id);
      return {
        source: id,
        name,
        sends: row?.sends ?? false,
        madeAt: row?.made_at?.toISOString() ?? null,
        madeBy: row?.made_by ?? null,
        lastAt: of?.last.toISOString() ?? null,
        askedAt: row?.asked_at?.toISOString() ?? null,
        trouble: row?.trouble ?? null,
        events: of?.n ?? 0,
      };
    });
  }

  /** Makes the secret with which a source signs; one that it had signs no more. It is told this once. */
  async makeSecret(
    source: string,
    by: string,
    given = PREFIX + randomBytes(SECRET_BYTES).toString('base64'),
  ): Promise<{ secret: string }> {
    await this.db.transaction(async (tx) => {
      const [known] = await tx.query('select 1 from source where id = $1', [source]);
      if (!known) throw new AppError('no-source', 404, 'There is no such workspace among the sources.');
      await tx.query(
        `insert into event_source (source, secret, made_at, made_by) values ($1, $2, $3, $4)
         on conflict (source) do update set secret = excluded.secret, made_at = excluded.made_at, made_by = excluded.made_by`,
        [source, this.secrets.seal(given), this.clock(), by],
      );
      await this.ledger.add({ who: by, what: 'events.secret-made', subject: source }, tx);
    });
    return { secret: given };
  }

  /** Whether a source signs with a secret already. */
  async signsWith(source: string, secret: string): Promise<boolean> {
    return (await this.secretOf(source)) === secret;
  }

  private async secretOf(source: string): Promise<string | undefined> {
    const [row] = await this.db.query<{ secret: string | null }>(
      'select secret from event_source where source = $1',
      [source],
    );
    return row?.secret ? this.secrets.open(row.secret) : undefined;
  }

  async endSecret(source: string, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const [row] = await tx.query(
        'update event_source set secret = null, made_at = null, made_by = null where source = $1 and secret is not null returning 1',
        [source],
      );
      if (!row) throw new AppError('no-secret', 404, 'This workspace has no secret.');
      await this.ledger.add({ who: by, what: 'events.secret-ended', subject: source }, tx);
    });
  }
}

/** The events of a message, whatever its mode (CloudEvents 1.0, HTTP protocol binding §3), as the JSON event format has them. */
function read(headers: Record<string, string>, body: string): unknown[] {
  try {
    // the library puts this moment where a time cannot be read, and refuses a batch for one event: these are read as they are
    if (/^application\/cloudevents(?:-batch)?\+json\b/i.test(headers['content-type'] ?? '')) {
      const given = JSON.parse(body) as unknown;
      return Array.isArray(given) ? given : [given];
    }
    const event = JSON.parse(JSON.stringify(HTTP.toEvent({ headers, body }))) as object;
    return [{ ...event, time: headers['ce-time'] }];
  } catch (e) {
    throw new AppError('not-events', 400, `This is no CloudEvent: ${(e as Error).message.split('\n')[0]}`);
  }
}
