/**
 * Starts the services and the web in one process.
 *
 *   tsx src/server.ts [--seed FILE] [--dev]
 *
 * GATE_LANTERN_DATA (default .data), HOST (127.0.0.1), PORT (4680).
 */
import { readFileSync } from 'node:fs';
import { createServer, type RequestListener } from 'node:http';
import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { createApp, type Seed } from './services/app.ts';
import { setApp } from './services/instance.ts';

const { values: args } = parseArgs({
  options: { seed: { type: 'string' }, dev: { type: 'boolean', default: false } },
});
const data = resolve(process.env.GATE_LANTERN_DATA ?? '.data');
const host = process.env.HOST ?? '127.0.0.1';
const port = Number(process.env.PORT ?? 4680);

const seed = args.seed ? (JSON.parse(readFileSync(args.seed, 'utf8')) as Seed) : undefined;
const app = await createApp(data, seed).catch((e: unknown) => {
  process.stderr.write(`Gate Lantern cannot start: ${e instanceof Error ? e.message : String(e)}\n`);
  process.exit(1);
});
setApp(app);

let stopping = false;
const stop = (): void => {
  if (stopping) return;
  stopping = true;
  // whatever is under way is safe to leave; a plan is taken up again at the next start
  setTimeout(() => process.exit(0), 5000).unref();
  void app.close().finally(() => process.exit(0));
};
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
  const server = createServer(handler);
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
process.stdout.write(`Gate Lantern is on http://${shown}:${port}\n`);
app.ready.then(
  () => process.stdout.write('Ready to answer.\n'),
  (e: unknown) => {
    if (stopping) return;
    process.stderr.write(`The last survey cannot be read: ${e instanceof Error ? e.message : String(e)}\n`);
    process.exit(1);
  },
);
if (await app.accounts.empty())
  process.stdout.write(
    `There is no account yet. The code for making the first steward: ${app.accounts.firstCode()}\n`,
  );
