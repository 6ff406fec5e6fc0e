// A PostgreSQL server of the tests' own: Debian's package where it can be had, on a port and in a directory of its own.
import { spawnSync } from 'node:child_process';
import { chownSync, existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';

const HOME = '/usr/lib/postgresql';
const programs = () =>
  existsSync(HOME)
    ? readdirSync(HOME)
        .sort((a, b) => Number(b) - Number(a))
        .map((v) => join(HOME, v, 'bin'))
        .find((bin) => existsSync(join(bin, 'initdb')))
    : undefined;

const freePort = () =>
  new Promise((found) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address();
      probe.close(() => found(port));
    });
  });

function installed() {
  const bin = programs();
  if (bin || userInfo().uid !== 0) return bin;
  process.stdout.write('Installing PostgreSQL for the tests that run on a server …\n');
  const apt = (args) =>
    spawnSync('apt-get', args, {
      stdio: 'ignore',
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    }).status === 0;
  if (apt(['update', '-qq'])) apt(['install', '-y', '-qq', '--no-install-recommends', 'postgresql']);
  return programs();
}

/** Starts a server; gives its address and how it is stopped, or undefined where there is none to be had. */
export async function postgres() {
  const bin = installed();
  if (!bin) return undefined;
  const home = mkdtempSync(join(tmpdir(), 'gl-postgres-'));
  // it refuses to run as root
  const root = userInfo().uid === 0;
  if (root) {
    const id = (flag) => Number(spawnSync('id', [flag, 'postgres'], { encoding: 'utf8' }).stdout);
    if (!id('-u')) return undefined;
    chownSync(home, id('-u'), id('-g'));
  }
  const run = (program, args) =>
    root
      ? spawnSync('runuser', ['-u', 'postgres', '--', join(bin, program), ...args], {
          stdio: 'ignore',
          cwd: home,
        })
      : spawnSync(join(bin, program), args, { stdio: 'ignore', cwd: home });
  const data = join(home, 'data');
  const port = await freePort();
  const stop = () => {
    run('pg_ctl', ['-D', data, '-m', 'immediate', 'stop']);
    rmSync(home, { recursive: true, force: true });
  };
  const made = run('initdb', [
    '-D',
    data,
    '-A',
    'trust',
    '-U',
    'lantern',
    '--no-sync',
    '-E',
    'UTF8',
    '--locale=C.UTF-8',
  ]);
  const options = `-p ${port} -k ${home} -c listen_addresses=127.0.0.1 -c fsync=off -c max_connections=200`;
  const began =
    made.status === 0 && run('pg_ctl', ['-D', data, '-o', options, '-l', join(home, 'log'), '-w', 'start']);
  if (!began || began.status !== 0) {
    stop();
    return undefined;
  }
  return { url: `postgres://lantern@127.0.0.1:${port}/postgres`, stop };
}
