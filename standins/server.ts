/**
 * The simulated workspaces: a process of its own that speaks HTTP.
 *
 *   /scim/v2/Users, /scim/v2/Groups   a directory (SCIM 2.0: RFC 7643, RFC 7644)
 *   /drives/v1/…                      shared and personal drives, inheritance additive
 *   /sites/v1/…                       sites and teams, where folders may break inheritance
 *   /channels/v1/…                    channels with members and files
 *   /registry/                        registrations of domains (RDAP: RFC 9082, RFC 9083)
 *   /far/                             pages on which one acts as any person of the organisation
 *   /mail/                            mailboxes of everybody who was sent a mail, with STANDIN_MAIL
 *   /control/mail                     all mail, and how the mail server behaves
 *   /control/decisions                where they ask before somebody acts, and what they do when nobody answers
 *   /control/hearing                  where they send what happens, how, and how badly
 *   /control/happen                   something more happens
 *   /control/acts                     what people did on the far side
 *   /control/faults, /control/truth   for tests: misbehave on demand; what is really set
 *   /control/forget                   change tokens given so far are known no more
 *   /control/outbox                   messages that the workspaces sent of themselves
 *   /control/posts                    messages that programs put into channels
 *
 * With STANDIN_CLIENT_SECRET an identity provider too, on a port of its own.
 *
 *   STANDIN_TOKEN=T STANDIN_CONTROL_TOKEN=C tsx standins/server.ts --extract DIR --state DIR --port N
 */
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { channels } from './channels/workspace.ts';
import { control } from './control.ts';
import { far } from './far/pages.ts';
import { scim } from './directory/scim.ts';
import { json, Refusal } from './http.ts';
import { mailboxes, mailServer } from './mail/server.ts';
import { registryOf } from './registry/registry.ts';
import { rowsWorkspace } from './rows/workspace.ts';
import { ACCOUNTS, args, faults, tokens } from './world.ts';

async function workspace(
  req: IncomingMessage,
  res: ServerResponse,
  url: URL,
  repeat: boolean,
): Promise<void> {
  const [, name] = url.pathname.split('/');
  if (name === 'registry') return registryOf(req, res, url);
  if (name === 'channels') return channels(req, res, url, repeat);
  if (name && name in ACCOUNTS) return rowsWorkspace(req, res, url, name, repeat);
  throw new Refusal(404, 'There is nothing here.');
}

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

async function answer(req: IncomingMessage, res: ServerResponse): Promise<void> {
  const url = new URL(req.url!, 'http://stand-in');
  const bearer = req.headers.authorization;
  if (url.pathname.startsWith('/control/')) {
    if (bearer !== `Bearer ${tokens.control}`) throw new Refusal(401, 'The control token is wrong.');
    return control(req, res, url);
  }
  if (url.pathname === '/mail' || url.pathname.startsWith('/mail/')) return mailboxes(req, res, url);
  if (url.pathname === '/far' || url.pathname.startsWith('/far/')) return far(req, res, url);
  const asksAnybody = url.pathname.startsWith('/registry/');
  if (!asksAnybody && bearer !== `Bearer ${tokens.workspace}`) throw new Refusal(401, 'The token is wrong.');

  let repeat = false;
  let resetAfter = false;
  for (const fault of faults.strike(req.method!, url.pathname + url.search)) {
    if (fault.kind === 'latency') await wait(fault.amount ?? 200);
    else if (fault.kind === 'throttle') {
      res.writeHead(429, { 'retry-after': String(fault.amount ?? 1) }).end();
      return;
    } else if (fault.kind === 'error') throw new Refusal(503, 'It is unwell.');
    else if (fault.kind === 'dead') throw new Refusal(500, 'This object cannot be served.');
    else if (fault.kind === 'time-out')
      return; // never answered
    else if (fault.kind === 'reset') return void req.socket.destroy();
    else if (fault.kind === 'reset-after') resetAfter = true;
    else if (fault.kind === 'repeat-page') repeat = true;
  }
  if (resetAfter) {
    // the work is done and its answer is lost
    const lost = {
      writeHead: () => lost,
      end: () => lost,
      setHeader: () => lost,
    } as unknown as ServerResponse;
    try {
      await route(req, lost, url, false);
    } finally {
      req.socket.destroy();
    }
    return;
  }
  await route(req, res, url, repeat);
}

const route = (req: IncomingMessage, res: ServerResponse, url: URL, repeat: boolean): Promise<void> =>
  url.pathname.startsWith('/scim/v2/Users')
    ? scim(req, res, url, 'users')
    : url.pathname.startsWith('/scim/v2/Groups')
      ? scim(req, res, url, 'groups')
      : workspace(req, res, url, repeat);

const server = createServer((req, res) => {
  answer(req, res).catch((e: unknown) => {
    if (res.headersSent || req.socket.destroyed) return;
    if (e instanceof Refusal) json(res, e.status, { detail: e.message });
    else {
      process.stderr.write(`stand-in: ${String(e)}\n`);
      json(res, 500, { detail: 'The stand-in failed.' });
    }
  });
});
// an application that signs people in there is told where it is before it starts
if (process.env.STANDIN_CLIENT_SECRET) {
  const { identityProvider } = await import('./identity-provider/server.ts');
  process.stdout.write(`identity provider on ${await identityProvider(process.env.STANDIN_CLIENT_SECRET)}\n`);
}
if (process.env.STANDIN_MAIL) process.stdout.write(`mail on ${await mailServer()}\n`);
server.listen(Number(args.port), '127.0.0.1', () => {
  const address = server.address() as { port: number };
  process.stdout.write(`stand-ins on http://127.0.0.1:${address.port}\n`);
});
