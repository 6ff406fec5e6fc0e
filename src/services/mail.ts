/**
 * Mail to our own users, where the server’s operator says how: GATE_LANTERN_SMTP (smtp:// or smtps://, with user and
 * password where they are wanted) and GATE_LANTERN_MAIL_FROM.
 */
import { createTransport, type Transporter } from 'nodemailer';
import { AppError } from './errors.ts';

const ANSWER_MS = 15_000;

export class Mail {
  private readonly transport: Transporter | undefined;

  constructor(private readonly env: NodeJS.ProcessEnv = process.env) {
    const url = env.GATE_LANTERN_SMTP;
    if (!url) return;
    if (!env.GATE_LANTERN_MAIL_FROM)
      throw new Error(
        'GATE_LANTERN_SMTP is set: set GATE_LANTERN_MAIL_FROM to the address that mail comes from.',
      );
    this.transport = createTransport(url, {
      connectionTimeout: ANSWER_MS,
      greetingTimeout: ANSWER_MS,
      socketTimeout: ANSWER_MS,
      // a password is never sent in the clear
      requireTLS: !url.startsWith('smtps:') && env.GATE_LANTERN_LOCAL_SOURCES !== '1',
      // what is sent is made here: no file or address is read for it
      disableFileAccess: true,
      disableUrlAccess: true,
    } as object);
  }

  /** Sends a plain text. Throws, in a sentence, where it could not be handed over. */
  private async send(to: string, subject: string, text: string): Promise<void> {
    try {
      await this.transport!.sendMail({
        from: this.env.GATE_LANTERN_MAIL_FROM,
        to: { name: '', address: to },
        subject,
        text,
      });
    } catch {
      throw new AppError(
        'mail',
        502,
        `The mail to ${to} could not be sent. Look at GATE_LANTERN_SMTP on the server.`,
      );
    }
  }

  /** Sends an invitation; what could not be sent is handed back instead, with why. `origin`: where we are reached. */
  async invite(
    origin: string,
    by: string,
    { name, address, token }: { name: string; address: string; token: string },
  ): Promise<{ token?: string; mailed?: true; trouble?: string }> {
    if (!this.transport) return { token };
    try {
      await this.send(address, ...invitation(name, by, `${origin}/welcome#${token}`));
      return { mailed: true };
    } catch (e) {
      return { token, trouble: (e as Error).message };
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
