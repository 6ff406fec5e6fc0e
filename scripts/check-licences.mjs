// Fails where a package of the lock file has a licence that is not known to be fine for a program that is handed on.
import { readFileSync } from 'node:fs';

const FINE = new Set([
  ...[
    'MIT',
    'MIT-0',
    'MIT/X11',
    'ISC',
    '0BSD',
    'BSD-2-Clause',
    'BSD-3-Clause',
    'BlueOak-1.0.0',
    'Zlib',
    'Unlicense',
  ],
  ...['Apache-2.0', 'Python-2.0', 'CC0-1.0', 'CC-BY-4.0', 'OFL-1.1'],
  // by file, or as a library of its own that anybody can replace: used as they come, not altered
  ...['MPL-2.0', 'LGPL-3.0-or-later', 'EPL-2.0'],
]);
// read by hand: what package.json does not name, the licence file does (MIT); of buffers neither does, and that it is MIT/X11
// like its author's others is from memory
const READ = new Set(['zod-to-ts', 'buffers', 'memorystream', 'png-js']);

/** An SPDX expression: all of what AND joins must be fine, one of what OR joins. */
const isFine = (expression) =>
  expression
    .replace(/[()]/g, '')
    .split(/ and /i)
    .every((part) => part.split(/ or /i).some((one) => FINE.has(one.trim())));

const { packages } = JSON.parse(readFileSync(new URL('../package-lock.json', import.meta.url), 'utf8'));
const wrong = Object.entries(packages).filter(([path, { license }]) => {
  const name = path.slice(path.lastIndexOf('node_modules/') + 'node_modules/'.length);
  return path !== '' && !(license ? isFine(license) : READ.has(name));
});
for (const [path, { license }] of wrong)
  process.stderr.write(
    `${path}: its licence is ${license ?? 'not named'}; read it, then add it to scripts/check-licences.mjs\n`,
  );
process.exit(wrong.length ? 1 : 0);
