/** gl backup and gl restore. */
import { createReadStream, createWriteStream, existsSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { request } from 'node:http';
import { join, resolve } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { restore } from '../services/backup.ts';
import { CliError, fileAt, print, say } from './messages.ts';

interface PassphraseOptions {
  passphraseFile?: string;
}
const SHORTEST = 12;

/** The passphrase, from a file or GATE_LANTERN_PASSPHRASE: a command line is seen by whoever lists processes. */
function passphraseOf({ passphraseFile }: PassphraseOptions): string {
  if (passphraseFile) fileAt(passphraseFile);
  const text = passphraseFile
    ? readFileSync(passphraseFile, 'utf8').replace(/\r?\n$/, '')
    : (process.env.GATE_LANTERN_PASSPHRASE ?? '');
  if ([...text].length < SHORTEST)
    throw new CliError(
      `Give a passphrase of at least ${SHORTEST} characters: in GATE_LANTERN_PASSPHRASE, or a file with --passphrase-file.`,
    );
  return text;
}

/** Asks the server that runs on a data directory for a backup, and writes it to a file. */
export async function makeBackup(file: string, options: PassphraseOptions & { data: string }): Promise<void> {
  const passphrase = passphraseOf(options);
  if (existsSync(file)) throw new CliError(`${file} is there already.`);
  const socketPath = join(resolve(options.data), 'control');
  const half = `${file}.part`;
  let bytes = 0;
  try {
    await new Promise<void>((done, failed) => {
      const ask = request({ socketPath, path: '/backup', method: 'POST' }, (answer) => {
        if (answer.statusCode !== 200) {
          failed(new CliError(`The server answered ${answer.statusCode}.`));
          return;
        }
        answer.on('data', (d: Buffer) => (bytes += d.length));
        pipeline(answer, createWriteStream(half, { mode: 0o600, flush: true })).then(() => {
          // a server that fails on the way ends its answer before its end
          if (answer.complete) done();
          else failed(new CliError('The backup broke off. Look at the server’s log.'));
        }, failed);
      });
      ask.on('error', failed);
      ask.end(passphrase);
    });
  } catch (e) {
    rmSync(half, { force: true });
    const { code } = e as NodeJS.ErrnoException;
    if (code === 'ENOENT' || code === 'ECONNREFUSED')
      throw new CliError(
        `No Gate Lantern runs on ${resolve(options.data)}. Start it, or name another with --data.`,
      );
    if (e instanceof CliError) throw e;
    throw new CliError(`The backup could not be made: ${(e as Error).message}`);
  }
  renameSync(half, file);
  await print({ backup: file, bytes });
}

/** Makes a new data directory of a backup, and says what is in it. */
export async function restoreBackup(
  file: string,
  directory: string,
  options: PassphraseOptions,
): Promise<void> {
  fileAt(file);
  const passphrase = passphraseOf(options);
  try {
    const restored = await restore(createReadStream(file), resolve(directory), passphrase);
    await print({ restored: resolve(directory), ...restored });
    if (restored.keyElsewhere)
      say('The key is not in the backup: start with the one that was used, in GATE_LANTERN_KEY_FILE.');
  } catch (e) {
    throw new CliError((e as Error).message);
  }
}
