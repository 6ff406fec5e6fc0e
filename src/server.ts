/**
 * Starts the services and the web in one process.
 *
 *   tsx src/server.ts [--seed FILE] [--dev]
 *
 * GATE_LANTERN_DATA (default .data), HOST (127.0.0.1), PORT (4680); GATE_LANTERN_HOSTS: other names it answers to;
 * GATE_LANTERN_TLS_CERT and GATE_LANTERN_TLS_KEY: files in PEM, for TLS; GATE_LANTERN_PROXIES: addresses or networks
 * of proxies whose X-Forwarded-For and -Proto are believed; GATE_LANTERN_LOG: the level of the log on stderr;
 * GATE_LANTERN_METRICS_TOKEN: the token for /metrics.
 */
import { readFileSync } from 'node:fs';
import {
  createServer,
  type IncomingMessage,
  type RequestListener,
  type Server,
  type ServerResponse,
} from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { createApp, type Seed } from './services/app.ts';
import { mayMeasure } from './services/metrics.ts';
import { control } from './services/control.ts';
import { setApp } from './services/instance.ts';
import { SCHEME_HEADER } from './dto/headers.ts';
import { knownHost, marked, networks, securityHeaders } from './services/web.ts';

// what is written is for the user that runs this, whatever the shell says
process.umask(0o077);
const { values: args } = parseArgs({
  options: { seed: { type: 'string' }, dev: { type: 'boolean', default: false } },
});
const data = resolve(process.env.GATE_LANTERN_DATA ?? '.data');
const host = process.env.HOST ?? '127.0.0.1';
const port = Number(process.env.PORT ?? 4680);

function orLeave<T>(what: string, read: () => T): T {
  try {
    return read();
  } catch (e) {
    process.stderr.write(`${what}: ${(e as Error).message}\n`);
    process.exit(1);
  }
}
const proxies = orLeave('GATE_LANTERN_PROXIES', () => networks(process.env.GATE_LANTERN_PROXIES));
const { GATE_LANTERN_TLS_CERT: certFile, GATE_LANTERN_TLS_KEY: keyFile } = process.env;
const tls =
  certFile && keyFile
    ? orLeave('The certificate cannot be read', () => ({
        cert: readFileSync(certFile),
        key: readFileSync(keyFile),
      }))
    : undefined;

const seed = args.seed ? (JSON.parse(readFileSync(args.seed, 'utf8')) as Seed) : undefined;
const app = await createApp(data, seed).catch((e: unknown) => {
  process.stderr.write(`Gate Lantern cannot start: ${e instanceof Error ? e.message : String(e)}\n`);
  process.exit(1);
});
setApp(app);
const operator = await control(app, data).catch((e: unknown) => {
  // without it there are no backups of the running server; everything else goes on
  app.log.warn({ err: e }, 'the operator cannot be listened to');
  return undefined;
});

/** Requests that are being answered when it stops have so long to end. */
const LAST_ANSWERS_MS = 4000;
let web: Server | undefined;
let stopping = false;
const stop = (): void => {
  if (stopping) return;
  stopping = true;
  // whatever is under way is safe to leave; a plan is taken up again at the next start
  setTimeout(() => process.exit(0), LAST_ANSWERS_MS + 5000).unref();
  void answered()
    .then(() => app.close())
    .finally(() => process.exit(0));
};

/** Takes no new requests, ends streams, and waits for those that are being answered. */
async function answered(): Promise<void> {
  if (!web) return;
  app.events.endAll();
  const all = new Promise<void>((done) => web!.close(() => done()));
  operator?.close();
  web.closeIdleConnections();
  const timer = setTimeout(() => web!.closeAllConnections(), LAST_ANSWERS_MS);
  await all;
  clearTimeout(timer);
}

/** For whoever watches the process, under any name: whether it lives, and whether it can answer. */
const PROBES: Record<string, () => boolean> = {
  '/healthz': () => true,
  '/readyz': () => !app.isReading && !stopping,
};
function answerProbe(res: ServerResponse, well: boolean, ill = 503): void {
  res.writeHead(well ? 200 : ill, { 'content-type': 'text/plain', 'cache-control': 'no-store' });
  res.end(well ? 'ok\n' : ill === 404 ? 'not here\n' : 'not ready\n');
}
/** Numbers, for whoever has the operator's token for them; without one there is no such address. */
async function answerMetrics(req: IncomingMessage, res: ServerResponse): Promise<void> {
  if (!mayMeasure(req.headers.authorization, process.env)) return answerProbe(res, false, 404);
  const { type, text } = await app.metrics.text();
  res.writeHead(200, { 'content-type': type, 'cache-control': 'no-store' }).end(text);
}
process.on('SIGINT', stop);
process.on('SIGTERM', stop);
for (const [name, worker] of [
  ['database', app.db.worker],
  ['engine', app.engine.worker],
] as const)
  worker.on('exit', (code) => {
    if (stopping) return;
    process.stderr.write(
      `The ${name}’s thread ended (${code}); nothing can be done without it. Start again.\n`,
    );
    process.exit(1);
  });

if (args.dev) {
  const { dev } = await import('astro');
  await dev({ server: { host, port } });
} else {
  process.env.ASTRO_NODE_AUTOSTART = 'disabled';
  const entry = new URL('../dist/pages/server/entry.mjs', import.meta.url);
  const { handler } = (await import(entry.href)) as { handler: RequestListener };
  // files are answered before any page, so what holds of all answers is held here
  const guarded: RequestListener = (req, res) => {
    req.headers = marked(req.headers, req.socket.remoteAddress, tls !== undefined, proxies);
    for (const [name, value] of Object.entries(securityHeaders(String(req.headers[SCHEME_HEADER]))))
      res.setHeader(name, value);
    if (req.url === '/metrics') return void answerMetrics(req, res);
    const probe = PROBES[req.url ?? ''];
    if (probe) return answerProbe(res, probe());
    if (knownHost(req.headers.host, process.env)) return void handler(req, res);
    res.writeHead(421, { 'content-type': 'text/plain; charset=utf-8' });
    res.end(
      'This address is not one that Gate Lantern answers to. Add it to GATE_LANTERN_HOSTS if it should be.\n',
    );
  };
  const server = tls ? createTlsServer(tls, guarded) : createServer(guarded);
  web = server;
  server.on('error', (e: NodeJS.ErrnoException) => {
    process.stderr.write(
      e.code === 'EADDRINUSE'
        ? `Port ${port} is taken. Stop what is using it, or set PORT to another.\n`
        : `${String(e)}\n`,
    );
    process.exit(1);
  });
  await new Promise<void>((ready) => server.listen(port, host, ready));
}
const shown = host.includes(':') ? `[${host}]` : host;
process.stdout.write(`Gate Lantern is on http${tls ? 's' : ''}://${shown}:${port}\n`);
app.ready.then(
  () => process.stdout.write('Ready to answer.\n'),
  (e: unknown) => {
    if (stopping) return;
    process.stderr.write(`The last survey cannot be read: ${e instanceof Error ? e.message : String(e)}\n`);
    process.exit(1);
  },
);
if (await app.accounts.mayMakeFirst())
  process.stdout.write(
    `${(await app.accounts.empty()) ? 'There is no account yet' : 'A new steward is wanted: open /first-steward'}. The code for making the first steward: ${app.accounts.firstCode()}\n`,
  );
