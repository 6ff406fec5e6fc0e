/**
 * A mail server that keeps what it is given, and pages on which its mailboxes are read. It can misbehave: refuse for ever or
 * for now, and take a mail and break off before it says so.
 */
import { appendFileSync, existsSync, readFileSync } from 'node:fs';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import PostalMime from 'postal-mime';
import { SMTPServer } from 'smtp-server';
import { escapeHtml } from '../../src/core/html.ts';
import { Refusal } from '../http.ts';
import { args } from '../world.ts';

/** How it behaves: `ok`; `later` (4xx); `never` (5xx); `lost`: it takes a mail, and the answer does not come. */
export const behaviour: { mode: 'ok' | 'later' | 'never' | 'lost'; times: number } = { mode: 'ok', times: 0 };

export interface Letter {
  /** As the sender names it: the same mail once more has the same. */
  id: string;
  to: string;
  from: string;
  subject: string;
  text: string;
  html: string;
  at: string;
  attachments: { name: string; type: string; text: string }[];
}
const file = join(args.state!, 'mail.jsonl');
/** Everything that was taken, in its order, what came twice too. */
export const letters: Letter[] = existsSync(file)
  ? readFileSync(file, 'utf8')
      .split('\n')
      .filter(Boolean)
      .flatMap((line): Letter[] => {
        try {
          return [JSON.parse(line) as Letter];
        } catch {
          // a line that a crash cut short was never answered
          return [];
        }
      })
  : [];

/** Whether this mail meets what the server was told to do. */
function misbehaves(): typeof behaviour.mode {
  if (behaviour.mode === 'ok') return 'ok';
  const { mode } = behaviour;
  if (--behaviour.times <= 0) Object.assign(behaviour, { mode: 'ok', times: 0 });
  return mode;
}

async function take(raw: Buffer, recipients: readonly string[]): Promise<void> {
  const mail = await PostalMime.parse(raw);
  for (const to of recipients) {
    const letter: Letter = {
      id: mail.messageId ?? '',
      to: to.toLowerCase(),
      from: mail.from?.address ?? '',
      subject: mail.subject ?? '',
      text: mail.text ?? '',
      html: mail.html ?? '',
      at: new Date().toISOString(),
      attachments: mail.attachments.map((a) => ({
        name: a.filename ?? '',
        type: a.mimeType,
        text:
          typeof a.content === 'string' ? a.content : Buffer.from(a.content as ArrayBuffer).toString('utf8'),
      })),
    };
    appendFileSync(file, JSON.stringify(letter) + '\n');
    letters.push(letter);
  }
}

/** Begins to take mail on a free port of this machine; resolves with its number. */
export function mailServer(): Promise<number> {
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: 5_000_000,
    logger: false,
    onData(stream, session, done) {
      const parts: Buffer[] = [];
      stream.on('data', (part: Buffer) => parts.push(part));
      stream.on('end', () => {
        const how = misbehaves();
        if (how === 'later' || how === 'never')
          return done(
            Object.assign(new Error(how === 'later' ? 'Try again later.' : 'No such mailbox.'), {
              responseCode: how === 'later' ? 451 : 550,
            }),
          );
        take(
          Buffer.concat(parts),
          session.envelope.rcptTo.map((r) => r.address),
        ).then(
          () => {
            // it has it, and says nothing
            if (how === 'lost')
              for (const c of server.connections) (c as unknown as { close(): void }).close();
            else done();
          },
          (e: Error) => done(e),
        );
      });
    },
  });
  server.on('error', () => undefined);
  return new Promise((found) => {
    server.listen(0, '127.0.0.1', () => found((server.server.address() as AddressInfo).port));
  });
}

const STYLE = `body{font:16px/1.5 sans-serif;margin:0;color:#222;background:#fff}header{background:#eee;border-bottom:2px solid #999;
padding:.6rem 1.2rem;display:flex;gap:1.2rem}main{padding:1.2rem;max-width:60rem}small{color:#555}li{margin:.3rem 0}
article{border:1px solid #999;padding:.6rem 1rem;margin:1rem 0}pre{white-space:pre-wrap;font:inherit;overflow-wrap:anywhere}`;

/** A mailbox drops what it has already, by its Message-ID, as mail stores do (common practice). */
const once = (list: readonly Letter[]): Letter[] => [...new Map(list.map((l) => [l.id, l])).values()];

/** Mailboxes, and what is in one. Addresses of ours become links; nothing else does. */
export function mailboxes(req: IncomingMessage, res: ServerResponse, url: URL): void {
  const [, , rawAddress] = url.pathname.split('/');
  if (req.method !== 'GET') throw new Refusal(405, 'Mail is read here.');
  const address = rawAddress && decodeURIComponent(rawAddress);
  let body: string;
  if (!address) {
    const boxes = new Map<string, number>();
    for (const l of letters) boxes.set(l.to, 0);
    for (const to of boxes.keys()) boxes.set(to, once(letters.filter((l) => l.to === to)).length);
    body = `<h1>Mailboxes</h1>${boxes.size ? '' : '<p>No mail has come yet.</p>'}<ul>${[...boxes]
      .sort()
      .map(
        ([to, n]) =>
          `<li><a href="/mail/${encodeURIComponent(to)}">${escapeHtml(to)}</a> <small>${n}</small></li>`,
      )
      .join('')}</ul>`;
  } else {
    const mine = once(letters.filter((l) => l.to === address)).reverse();
    body = `<h1>${escapeHtml(address)}</h1>${mine
      .map(
        (l) =>
          `<article><h2>${escapeHtml(l.subject)}</h2><small>${escapeHtml(l.from)}, ${escapeHtml(l.at)}</small><pre>${escapeHtml(
            l.text,
          ).replace(
            /\bhttp:\/\/(?:localhost|127\.0\.0\.1):\d+\/[\w/#?=&;.~%-]*/g,
            (link) => `<a href="${link}">${link}</a>`,
          )}</pre>${l.attachments.map((a) => `<details><summary>${escapeHtml(a.name)}</summary><pre>${escapeHtml(a.text)}</pre></details>`).join('')}</article>`,
      )
      .join('')}`;
  }
  res
    .writeHead(200, {
      'content-type': 'text/html; charset=utf-8',
      'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'",
      'cache-control': 'no-store',
      'referrer-policy': 'no-referrer',
    })
    .end(
      `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Mail</title><style>${STYLE}</style><header><b>Simulated mail</b><a href="/mail/">mailboxes</a></header><main>${body}</main></html>`,
    );
}
