/**
 * Messages that are to go out: each made once with what it is about, sent at once or gathered with others, tried again, and
 * kept with what became of it.
 */
import { createHash } from 'node:crypto';
import type { Severity } from '../../core/exposure/exposure.ts';
import { escapeHtml } from '../../core/html.ts';
import { dueOf, type Gather, type Wish } from '../../core/messages/when.ts';
import type { MessagesPage, MessageState, OwnWish } from '../../dto/messages.ts';
import type { QueryOfTable } from '../../dto/tables.ts';
import type { Db } from '../../store/db.ts';
import { storableJson } from '../../store/observed.ts';
import { readSchedule } from '../../store/settings.ts';
import { ConnectorError } from '../../connectors/port.ts';
import { AppError } from '../errors.ts';
import type { Jobs } from '../jobs.ts';
import type { Ledger } from '../ledger.ts';
import { BY_ITSELF } from '../policies/rows.ts';
import type { Secrets } from '../secrets.ts';
import { SITE, withLinks } from './links.ts';
import { MailError, type Mail } from './mail.ts';

/** A message that is to be made. `key`: what it is about and whom it is for; it is made once. */
export interface NewMessage {
  key: string;
  to: { way: 'mail' | 'chat'; recipient: string; name: string };
  severity: Severity;
  kind: string;
  subject: string;
  body: string;
  gathered?: boolean;
  calendar?: string;
}

/** Puts a message into a channel, once for each key. */
export type Post = (channel: string, text: string, key: string) => Promise<void>;

const SENDING = 'messages';
const AT_ONCE = 50;
const HOUR = 3_600_000;
const MINUTE = 60_000;
/** How long after a failed try the next is made; after the last of them it has failed. */
const AGAIN = [1, 5, 15, 60, 240, 720, 1440].map((m) => m * MINUTE);
const USUAL_GATHER: Gather = 'four-hourly';
/** In one message are so many at most; of more it says how many. */
const MOST_IN_ONE = 100;

interface Row {
  id: number;
  key: string;
  way: 'mail' | 'chat';
  recipient: string;
  name: string;
  severity: Severity;
  kind: string;
  subject: string;
  body: string;
  calendar: string | null;
  made_at: Date;
  state: MessageState;
  due: Date;
  tries: number;
  sent_at: Date | null;
  trouble: string | null;
  digest: number | null;
}
const COLUMNS =
  'id::int as id, key, way, recipient, name, severity, kind, subject, body, calendar, made_at, state, due, tries, sent_at, trouble, digest::int as digest';

export class Outbox {
  /** Called when messages were sent, or could not be. */
  onMoved: () => void = () => undefined;

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly jobs: Jobs,
    private readonly mail: Mail,
    private readonly post: Post,
    private readonly secrets: Pick<Secrets, 'keyFor'>,
    private readonly clock: () => Date,
  ) {
    jobs.declare(SENDING, {
      broken: 'again',
      quiet: true,
      run: async ({ signal }) => {
        await this.gather();
        await this.sendDue(signal);
        const [next] = await this.db.query<{ due: Date | null }>(
          "select min(due) as due from message where state in ('waiting', 'gathered') and digest is null",
        );
        return { state: 'done', next: next?.due ?? undefined };
      },
    });
  }

  async start(): Promise<void> {
    await this.jobs.add(this.db, SENDING, 0, BY_ITSELF);
  }

  /** Makes messages, in the transaction of what they are about; `jobs.look` sends them when that is done. */
  async add(tx: Db, messages: readonly NewMessage[]): Promise<void> {
    if (!messages.length) return;
    const now = this.clock();
    const recipients = [...new Set(messages.map((m) => m.to.recipient))];
    const wishes = await this.wishes(tx, recipients);
    const lately = new Map<string, number>();
    for (const { recipient, n } of await tx.query<{ recipient: string; n: number }>(
      `select recipient, count(*)::int as n from message where recipient = any($1) and digest is null and state in ('waiting', 'sent')
         and made_at > $2 and not key = any($3) group by recipient`,
      [recipients, new Date(now.getTime() - HOUR), messages.map((m) => m.key)],
    ))
      lately.set(recipient, n);
    const rows = messages.map((m) => {
      const { way, recipient, name } = m.to;
      const own = wishes.get(recipient)!;
      const wish = way === 'chat' ? { ...own, gather: 'at-once' as const, quiet: null } : own;
      const had = lately.get(recipient) ?? 0;
      const { due, gathered } = dueOf(m, wish, now, had);
      if (!gathered) lately.set(recipient, had + 1);
      return {
        key: m.key,
        way,
        recipient,
        name,
        severity: m.severity,
        kind: m.kind,
        subject: m.subject.replace(/\s+/g, ' ').slice(0, 300),
        body: m.body,
        calendar: m.calendar ?? null,
        state: gathered ? 'gathered' : 'waiting',
        due,
      };
    });
    await tx.query(
      `insert into message (key, way, recipient, name, severity, kind, subject, body, calendar, made_at, state, due)
       select key, way, recipient, name, severity, kind, subject, body, calendar, $2, state, due
       from jsonb_to_recordset($1::jsonb) as m(key text, way text, recipient text, name text, severity text, kind text, subject text,
         body text, calendar text, state text, due timestamptz) on conflict (key) do nothing`,
      [storableJson(rows), now],
    );
    await this.jobs.add(tx, SENDING, 0, BY_ITSELF);
  }

  /** How some people want to be told, whether they have accounts or not. */
  private async wishes(db: Db, addresses: readonly string[]): Promise<Map<string, Wish>> {
    const zones = await zonesOf(db, addresses);
    const rows = await db.query<{
      address: string;
      gather: Gather;
      quiet_from: number | null;
      quiet_until: number | null;
    }>('select address, gather, quiet_from, quiet_until from message_wish where address = any($1)', [
      addresses,
    ]);
    const own = new Map(rows.map((r) => [r.address, r]));
    return new Map(
      addresses.map((address) => {
        const row = own.get(address);
        return [
          address,
          {
            gather: row?.gather ?? USUAL_GATHER,
            zone: zones.get(address)!,
            quiet: row?.quiet_from == null ? null : { from: row.quiet_from, until: row.quiet_until! },
          },
        ];
      }),
    );
  }

  async ownWish(address: string): Promise<OwnWish> {
    const { gather, quiet } = (await this.wishes(this.db, [address])).get(address)!;
    return { gather, quiet };
  }

  /** Says how somebody wants to be told from now on. */
  async setWish(address: string, { gather, quiet }: OwnWish, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      await tx.query(
        `insert into message_wish (address, gather, quiet_from, quiet_until) values ($1, $2, $3, $4)
         on conflict (address) do update set gather = excluded.gather, quiet_from = excluded.quiet_from, quiet_until = excluded.quiet_until`,
        [address, gather, quiet?.from ?? null, quiet?.until ?? null],
      );
      await this.ledger.add(
        { who: by, what: 'messages.wished', subject: address, after: { gather, quiet } },
        tx,
      );
    });
  }

  /** Makes one of those that are gathered for one person and are due. One that is alone goes out as it is. */
  private async gather(): Promise<void> {
    const due = await this.db.query<{ way: 'mail' | 'chat'; recipient: string }>(
      "select distinct way, recipient from message where state = 'gathered' and digest is null and due <= $1",
      [this.clock()],
    );
    for (const { way, recipient } of due)
      await this.db.transaction(async (tx) => {
        // what waits for a later hour comes along
        const rows = await tx.query<Row>(
          `select ${COLUMNS} from message where state = 'gathered' and digest is null and way = $1 and recipient = $2 order by id`,
          [way, recipient],
        );
        if (!rows.length) return;
        const now = this.clock();
        if (rows.length === 1) {
          await tx.query("update message set state = 'waiting', due = $2 where id = $1", [rows[0]!.id, now]);
          return;
        }
        const told = rows.slice(0, MOST_IN_ONE);
        const more = rows.length - told.length;
        const body = [
          ...told.map((r) => `${r.subject}\n${'-'.repeat(Math.min(60, r.subject.length))}\n${r.body}`),
          ...(more ? [`And ${more} more, which are listed in Gate Lantern.`] : []),
        ].join('\n\n\n');
        const calendars = rows.flatMap((r) => r.calendar ?? []);
        const [made] = await tx.query<{ id: number }>(
          `insert into message (key, way, recipient, name, severity, kind, subject, body, calendar, made_at, state, due)
           values ($1, $2, $3, $4, $5, 'digest', $6, $7, $8, $9, 'waiting', $9) returning id::int as id`,
          [
            `digest:${rows[0]!.id}:${rows.at(-1)!.id}:${recipient}`,
            way,
            recipient,
            rows[0]!.name,
            rows[0]!.severity,
            `${rows.length} things from Gate Lantern`,
            body,
            calendars.length === 1 ? calendars[0] : null,
            now,
          ],
        );
        await tx.query('update message set digest = $1 where id = any($2)', [
          made!.id,
          rows.map((r) => r.id),
        ]);
      });
  }

  private async sendDue(signal: AbortSignal): Promise<void> {
    for (;;) {
      const rows = await this.db.query<Row>(
        `select ${COLUMNS} from message where state = 'waiting' and due <= $1 order by due, id limit ${AT_ONCE}`,
        [this.clock()],
      );
      if (!rows.length) return;
      for (const r of rows) {
        if (signal.aborted) return;
        await this.send(r);
      }
      this.onMoved();
    }
  }

  private async send(r: Row): Promise<void> {
    let trouble: string;
    let ever = false;
    try {
      const { site } = this.mail;
      const body = withLinks(r.body, site, this.secrets);
      if (r.way === 'chat') await this.post(r.recipient, `${r.subject}\n${body}`, `message-${r.key}`);
      else
        await this.mail.send({
          to: r.recipient,
          name: r.name,
          subject: r.subject,
          text: body,
          html: htmlOf(r.subject, body, site),
          calendar: r.calendar ?? undefined,
          id: `<${createHash('sha256').update(r.key).digest('hex').slice(0, 32)}@gate-lantern>`,
        });
      await this.db.query(
        "update message set state = 'sent', sent_at = $2, trouble = null where id = $1 or digest = $1",
        [r.id, this.clock()],
      );
      return;
    } catch (e) {
      trouble = (e as Error).message;
      ever =
        e instanceof MailError
          ? e.ever
          : e instanceof AppError || (e instanceof ConnectorError && e.code === 'refused');
    }
    const wait = AGAIN[r.tries];
    const failed = ever || wait === undefined;
    await this.db.transaction(async (tx) => {
      await tx.query(
        'update message set state = $2, tries = tries + 1, trouble = $3, due = $4 where id = $1',
        [r.id, failed ? 'failed' : 'waiting', trouble, new Date(this.clock().getTime() + (wait ?? 0))],
      );
      if (!failed) return;
      await tx.query("update message set state = 'failed', trouble = $2 where digest = $1", [r.id, trouble]);
      await this.ledger.add(
        {
          who: BY_ITSELF,
          what: 'message.failed',
          subject: `message ${r.id}`,
          after: { to: r.recipient, trouble },
        },
        tx,
      );
    });
  }

  /** Tries again what has failed. */
  async retry(ids: readonly number[], by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const rows = await tx.query<{ id: number }>(
        "update message set state = 'waiting', tries = 0, due = $2 where id = any($1) and state in ('failed', 'waiting') and digest is null returning id::int as id",
        [ids, this.clock()],
      );
      if (!rows.length) throw new AppError('no-message', 409, 'None of these has failed. Look again.');
      await tx.query("update message set state = 'gathered' where digest = any($1)", [rows.map((r) => r.id)]);
      for (const { id } of rows)
        await this.ledger.add({ who: by, what: 'message.retried', subject: `message ${id}` }, tx);
      await this.jobs.add(tx, SENDING, 0, by);
    });
    await this.jobs.look();
  }

  async list(q: QueryOfTable<'messages'>, page: { limit: number; offset: number }): Promise<MessagesPage> {
    const rows = await this.db.query<Row & { total: number }>(
      `select ${COLUMNS}, count(*) over ()::int as total from message
       where ($1::text = 'all' or state = $1) and ($2::text is null or kind = $2)
         and ($3::text is null or position($3 in lower(recipient || ' ' || name || ' ' || subject || ' ' || body)) > 0)
       order by made_at desc, id desc limit $4 offset $5`,
      [q.state, q.kind ?? null, q.text?.toLowerCase() ?? null, page.limit, page.offset],
    );
    return {
      rows: rows.map((r) => ({
        id: r.id,
        way: r.way,
        recipient: r.recipient,
        name: r.name,
        severity: r.severity,
        kind: r.kind,
        subject: r.subject,
        body: r.body.replaceAll(SITE, this.mail.site),
        madeAt: r.made_at.toISOString(),
        state: r.state,
        due: r.due.toISOString(),
        sentAt: r.sent_at?.toISOString() ?? null,
        trouble: r.trouble,
        digest: r.digest,
        calendar: r.calendar !== null,
      })),
      total: rows[0]?.total ?? 0,
    };
  }

  /** How many have failed in seven days, and how many wait. */
  async counts(): Promise<{ failed: number; waiting: number }> {
    const [row] = await this.db.query<{ failed: number; waiting: number }>(
      `select count(*) filter (where state = 'failed' and made_at > $1)::int as failed,
         count(*) filter (where state in ('waiting', 'gathered'))::int as waiting from message where digest is null`,
      [new Date(this.clock().getTime() - 7 * 24 * HOUR)],
    );
    return row!;
  }
}

/** By whose clock each of some people reads, whether they have accounts or not. */
export async function zonesOf(db: Db, addresses: readonly string[]): Promise<Map<string, string>> {
  const rows = await db.query<{ address: string; zone: string }>(
    "select address, dates->>'zone' as zone from account where address = any($1) and dates->>'zone' is not null",
    [addresses],
  );
  const own = new Map(rows.map((r) => [r.address, r.zone]));
  const { zone } = await readSchedule(db);
  return new Map(addresses.map((a) => [a, own.get(a) ?? zone]));
}

/** The same text for readers who show HTML: nothing of it but our own addresses becomes a link. */
export function htmlOf(subject: string, text: string, site: string): string {
  const own = site && new RegExp(`${site.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}[\\w/#?=&.~%-]*`, 'g');
  const paragraphs = text.split(/\n{2,}/).map((p) => {
    const lines = p.split('\n').map((line) => {
      let [out, from] = ['', 0];
      for (const m of own ? line.matchAll(own) : []) {
        out +=
          escapeHtml(line.slice(from, m.index)) + `<a href="${escapeHtml(m[0])}">${escapeHtml(m[0])}</a>`;
        from = m.index + m[0].length;
      }
      return out + escapeHtml(line.slice(from));
    });
    return `<p>${lines.join('<br>')}</p>`;
  });
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(subject)}</title></head><body style="font:16px/1.5 sans-serif;max-width:40em">${paragraphs.join('')}</body></html>`;
}
