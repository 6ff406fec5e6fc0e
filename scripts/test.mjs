// npm test on a fresh clone: installs what is missing, then checks, builds, and runs every test.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { postgres } from './postgres.mjs';
import { build, install, ROOT, run } from './setup.mjs';

function chromium() {
  const known = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/chromium-browser'].find(
    (p) => p && existsSync(p),
  );
  if (known) return known;
  process.stdout.write('Installing Chromium for the browser tests …\n');
  const apt = (args) =>
    spawnSync('apt-get', args, {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    }).status === 0;
  if (apt(['update', '-qq']) && apt(['install', '-y', '-qq', 'chromium']) && existsSync('/usr/bin/chromium'))
    return '/usr/bin/chromium';
  process.stderr.write(
    'The browser tests need Chromium, and it could not be installed here. Install it (Debian: apt-get install chromium), or set CHROMIUM to its path, and run npm test again.\n',
  );
  process.exit(1);
}

install();
process.env.CHROMIUM = chromium();
run('npm', ['run', '--silent', 'check'], 'The check');
build();
const server = process.env.GATE_LANTERN_TEST_POSTGRES ? undefined : await postgres();
if (server) process.env.GATE_LANTERN_TEST_POSTGRES = server.url;
else if (!process.env.GATE_LANTERN_TEST_POSTGRES)
  process.stdout.write(
    'NOT TESTED: PostgreSQL could not be installed or started here, so nothing is tried on a server.\n',
  );
const { status } = spawnSync(
  process.execPath,
  ['node_modules/vitest/vitest.mjs', 'run', ...process.argv.slice(2)],
  { cwd: ROOT, stdio: 'inherit' },
);
server?.stop();
process.exit(status ?? 1);
