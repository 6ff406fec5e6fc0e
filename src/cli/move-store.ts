/** gl move-store. */
import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { lock } from '../services/lock.ts';
import { moveStore } from '../services/move-store.ts';
import { CliError, print, say } from './messages.ts';

/** Carries the store of a stopped installation to a PostgreSQL server, or back into its data directory. */
export async function move(options: { data: string; to?: string; from?: string }): Promise<void> {
  const data = resolve(options.data);
  const inside = join(data, 'db');
  if ((options.to === undefined) === (options.from === undefined))
    throw new CliError('Name the server with --to, or with --from to come back.');
  const server = (options.to ?? options.from)!;
  if (!/^postgres(?:ql)?:\/\//.test(server))
    throw new CliError(
      'The server is named as postgres://user@host/database; its password comes from PGPASSWORD.',
    );
  if (existsSync(inside) !== (options.to !== undefined))
    throw new CliError(
      options.to ? `There is no store in ${data}.` : `${inside} is there already: put it elsewhere first.`,
    );
  let unlock: (() => void) | undefined;
  try {
    unlock = lock(data);
    const moved = await (options.to ? moveStore(inside, server) : moveStore(server, inside));
    await print({ moved: true, ...moved });
    say(
      options.to
        ? `Start Gate Lantern with DATABASE_URL; ${inside} is as it was, and can go once that works.`
        : 'Start Gate Lantern without DATABASE_URL.',
    );
  } catch (e) {
    throw new CliError((e as Error).message);
  } finally {
    unlock?.();
  }
}
