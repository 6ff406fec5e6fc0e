/** gl key rotate. */
import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { rotateKey } from '../services/rotate-key.ts';
import { CliError, print, say } from './messages.ts';

export async function rotate(options: { data: string; to?: string }): Promise<void> {
  const data = resolve(options.data);
  if (!process.env.DATABASE_URL && !existsSync(join(data, 'db')))
    throw new CliError(`${data} is no data directory of Gate Lantern.`);
  const { GATE_LANTERN_KEY, GATE_LANTERN_KEY_FILE } = process.env;
  if ((GATE_LANTERN_KEY ?? GATE_LANTERN_KEY_FILE) !== undefined && !options.to)
    throw new CliError('The key is given from elsewhere: name a new file for the new one with --to FILE.');
  if (options.to && existsSync(options.to)) throw new CliError(`${options.to} is there already.`);
  try {
    await print({ rotated: true, ...(await rotateKey(data, options.to)) });
  } catch (e) {
    throw new CliError((e as Error).message);
  }
  if (options.to)
    say(`Start Gate Lantern with GATE_LANTERN_KEY_FILE=${options.to}; take the old key away once it works.`);
}
