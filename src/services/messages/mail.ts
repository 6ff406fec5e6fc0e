/**
 * Mail: by the settings that stewards keep, or as the server’s operator says: GATE_LANTERN_SMTP (smtp:// or smtps://, with
 * user and password where they are wanted), GATE_LANTERN_MAIL_FROM, and for links in messages GATE_LANTERN_SITE.
 */
import { createTransport, type Transporter } from 'nodemailer';
import type { MailSettings } from '../../dto/messages.ts';
import type { Db } from '../../store/db.ts';
import { readSetting, writeSetting } from '../../store/settings.ts';
import { AppError } from '../errors.ts';
import type { Ledger } from '../ledger.ts';
import type { Secrets } from '../secrets.ts';

const ANSWER_MS = 15_000;
const SETTING = 'mail';

type Kept = Omit<MailSettings, 'password'> & { password: string | null };

/** One mail. `id`: by which a mailbox knows it again, where it comes twice (RFC 5322 §3.6.4). */
export interface Letter {
  to: string;
  name: string;
  subject: string;
  text: string;
  html?: string;
  /** An iCalendar file. */
  calendar?: string | undefined;
  id?: string;
}

/** Why a mail did not go out; `ever`: it never will, so that it is not tried again. */
export class MailError extends Error {
  override name = 'MailError';
  constructor(
    message: string,
    readonly ever: boolean,
  ) {
    super(message);
  }
}

export class Mail {
  private transport: Transporter | undefined;
  private from = '';
  private kept: Kept | null = null;

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly secrets: Secrets,
    private readonly env: NodeJS.ProcessEnv = process.env,
  ) {
    if (env.GATE_LANTERN_SMTP && !env.GATE_LANTERN_MAIL_FROM)
      throw new Error(
        'GATE_LANTERN_SMTP is set: set GATE_LANTERN_MAIL_FROM to the address that mail comes from.',
      );
  }

  /** Takes up what is set. */
  async readSettings(): Promise<void> {
    this.kept = (await readSetting<Kept>(this.db, SETTING)) ?? null;
    this.connect();
  }

  private get local(): boolean {
    return this.env.GATE_LANTERN_LOCAL_SOURCES === '1';
  }

  private connect(): void {
    this.transport?.close();
    this.transport = undefined;
    const { kept } = this;
    const url = this.env.GATE_LANTERN_SMTP;
    const usual = {
      connectionTimeout: ANSWER_MS,
      greetingTimeout: ANSWER_MS,
      socketTimeout: ANSWER_MS,
      // what is sent is made here: no file or address is read for it
      disableFileAccess: true,
      disableUrlAccess: true,
    };
    if (kept) {
      this.from = kept.from;
      this.transport = createTransport({
        ...usual,
        host: kept.host,
        port: kept.port,
        secure: kept.security === 'tls',
        requireTLS: kept.security === 'starttls',
        ignoreTLS: kept.security === 'none',
        ...(kept.user && {
          auth: { user: kept.user, pass: kept.password ? this.secrets.open(kept.password) : '' },
        }),
      } as object);
    } else if (url) {
      this.from = this.env.GATE_LANTERN_MAIL_FROM!;
      this.transport = createTransport(url, {
        ...usual,
        // a password is never sent in the clear
        requireTLS: !url.startsWith('smtps:') && !this.local,
      } as object);
    }
  }

  /** Whether mail can go out at all. */
  get ready(): boolean {
    return this.transport !== undefined;
  }

  /** Where people reach this installation. */
  get site(): string {
    return this.kept?.site ?? this.env.GATE_LANTERN_SITE ?? '';
  }

  /** How it is set, without the password. */
  get settings(): MailSettings | null {
    return this.kept && { ...this.kept, password: '' };
  }
  get byServer(): boolean {
    return !this.kept && this.env.GATE_LANTERN_SMTP !== undefined;
  }

  /** Sets how mail goes out; a password that is left empty stays, as long as the server is the same. */
  async set(given: MailSettings, by: string): Promise<void> {
    if (given.security === 'none' && !this.local)
      throw new AppError('insecure', 422, 'Mail without TLS is only for servers on this machine.');
    const before = this.kept;
    const same = before !== null && before.host === given.host && before.user === given.user;
    const kept: Kept = {
      ...given,
      password: given.password ? this.secrets.seal(given.password) : same ? before.password : null,
    };
    if (kept.user && !kept.password) throw new AppError('password', 422, 'A user name wants its password.');
    await this.db.transaction(async (tx) => {
      await writeSetting(tx, SETTING, kept);
      const said = (k: Kept | null) => k && { ...k, password: k.password ? 'set' : null };
      await this.ledger.add(
        { who: by, what: 'mail.set', subject: 'mail', before: said(before), after: said(kept) },
        tx,
      );
    });
    this.kept = kept;
    this.connect();
  }

  /** Hands a mail over. Throws a MailError. */
  async send(letter: Letter): Promise<void> {
    if (!this.transport) throw new MailError('No mail server is set.', false);
    const { to, name, subject, text, html, calendar, id } = letter;
    try {
      await this.transport.sendMail({
        from: this.from,
        to: { name: name.replace(/["<>@,;:\\\r\n]/g, ' ').trim(), address: to },
        subject,
        text,
        ...(html && { html }),
        ...(id && { messageId: id }),
        headers: { 'Auto-Submitted': 'auto-generated' },
        ...(calendar && {
          attachments: [
            { filename: 'date.ics', contentType: 'text/calendar; method=PUBLISH', content: calendar },
          ],
        }),
      });
    } catch (e) {
      const { responseCode: code, message } = e as { responseCode?: number; message: string };
      // 5xx is for ever (RFC 5321 §4.2.1), but for a sign-in that is refused, which somebody can set right
      const ever = code !== undefined && code >= 500 && code !== 530 && code !== 535;
      throw new MailError(`The mail server says: ${message.split('\n')[0]!.slice(0, 300)}`, ever);
    }
  }

  /** Sends an invitation; what could not be sent is handed back instead, with why. `origin`: where we are reached. */
  async invite(
    origin: string,
    by: string,
    { name, address, token }: { name: string; address: string; token: string },
  ): Promise<{ token?: string; mailed?: true; trouble?: string }> {
    if (!this.transport) return { token };
    const [subject, text] = invitation(name, by, `${origin}/welcome#${token}`);
    try {
      await this.send({ to: address, name: '', subject, text });
      return { mailed: true };
    } catch (e) {
      return {
        token,
        trouble: `The mail to ${address} could not be sent. ${this.byServer ? 'Look at GATE_LANTERN_SMTP on the server.' : (e as Error).message}`,
      };
    }
  }

  close(): void {
    this.transport?.close();
  }
}

/** An invitation, as its mail says it. */
const invitation = (name: string, by: string, link: string): [subject: string, text: string] => [
  'Your invitation to Gate Lantern',
  `Hello ${name},

${by} invites you to Gate Lantern, where it is kept in view who can reach what in your organisation’s workspaces.

Choose a password here; the link works once, and for seven days:

${link}

If you did not expect this, leave it unanswered: nothing happens.
`,
];
