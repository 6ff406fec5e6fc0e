// What the commands need before anything else: packages installed, and the application built.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = fileURLToPath(new URL('..', import.meta.url));
const windows = process.platform === 'win32';

export function run(command, args, what) {
  const script = windows && command === 'npm';
  const { status } = spawnSync(script ? 'npm.cmd' : command, args, {
    cwd: ROOT,
    stdio: 'inherit',
    shell: script,
  });
  if (status !== 0) {
    process.stderr.write(`${what} did not work; what went wrong stands above.\n`);
    process.exit(status ?? 1);
  }
}

const hashOf = (files) => {
  const hash = createHash('sha256');
  for (const f of files) hash.update(f).update(readFileSync(join(ROOT, f)));
  return hash.digest('hex');
};
const holds = (stamp, hash) => existsSync(stamp) && readFileSync(stamp, 'utf8') === hash;

/** Installs the packages of the lock file, unless these are the ones that are there. */
export function install() {
  const [major] = process.versions.node.split('.').map(Number);
  if (major < 20) {
    process.stderr.write(`Gate Lantern needs Node.js 20 or newer; this is ${process.versions.node}.\n`);
    process.exit(1);
  }
  const stamp = join(ROOT, 'node_modules', '.gate-lantern');
  const hash = hashOf(['package-lock.json']);
  if (holds(stamp, hash)) return;
  process.stdout.write('Installing packages …\n');
  // not npm ci: it refuses a lock file made where a registry lacks the packages of other platforms
  run('npm', ['install', '--no-save', '--no-audit', '--no-fund', '--loglevel=error'], 'Installing packages');
  writeFileSync(stamp, hash);
}

/** Builds the application, unless it is built from just these files; the programs, which takes no time, always. */
export function build() {
  const files = ['package-lock.json', 'astro.config.mjs', 'tsconfig.json'];
  const walk = (dir) => {
    for (const name of readdirSync(join(ROOT, dir)).sort()) {
      const path = `${dir}/${name}`;
      if (statSync(join(ROOT, path)).isDirectory()) walk(path);
      else if (!/\.test\.tsx?$/.test(name)) files.push(path);
    }
  };
  walk('src');
  const stamp = join(ROOT, 'dist', '.gate-lantern');
  const hash = hashOf(files);
  if (holds(stamp, hash)) return run(process.execPath, ['scripts/programs.mjs'], 'Building');
  process.stdout.write('Building …\n');
  run('npm', ['run', '--silent', 'build'], 'Building');
  writeFileSync(stamp, hash);
}
