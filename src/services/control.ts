/**
 * What the operator asks of a running server: over a socket in its data directory, which the user that runs it alone can
 * open. It is no part of the web.
 */
import { rmSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { backup } from './backup.ts';
import { log } from './log.ts';
import type { App } from './app-parts.ts';

const LONGEST_PASSPHRASE = 4000;

/** Listens until it is closed. */
export async function control(app: App, directory: string): Promise<Server> {
  const path = join(directory, 'control');
  // one that a crash left behind
  rmSync(path, { force: true });
  const server = createServer((req, res) => {
    answer(app, directory, req, res).catch((e: unknown) => {
      log.error({ err: e }, 'what the operator asked failed');
      res.destroy();
    });
  });
  await new Promise<void>((ready, failed) => server.once('error', failed).listen(path, ready));
  return server;
}

async function answer(app: App, directory: string, req: IncomingMessage, res: ServerResponse): Promise<void> {
  let passphrase = '';
  for await (const piece of req.setEncoding('utf8')) {
    passphrase += String(piece);
    if (passphrase.length > LONGEST_PASSPHRASE) break;
  }
  if (
    req.url !== '/backup' ||
    req.method !== 'POST' ||
    !passphrase ||
    passphrase.length > LONGEST_PASSPHRASE
  ) {
    res.writeHead(404).end();
    return;
  }
  res.writeHead(200, { 'content-type': 'application/octet-stream' });
  await pipeline(Readable.from(backup(directory, app.db, app.ledger, passphrase, app.clock)), res);
}
