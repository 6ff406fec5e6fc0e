#!/usr/bin/env node
// npm run gl: runs the command line, built anew where its source has changed since.
import { existsSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const ROOT = fileURLToPath(new URL('..', import.meta.url));
const program = join(ROOT, 'dist', 'app', 'gl.mjs');
const made = existsSync(program) ? statSync(program).mtimeMs : 0;
const changed = ['cli', 'core', 'formats'].some((part) =>
  readdirSync(join(ROOT, 'src', part), { recursive: true, withFileTypes: true }).some(
    (file) => file.isFile() && statSync(join(file.parentPath, file.name)).mtimeMs > made,
  ),
);
if (changed) {
  if (!existsSync(join(ROOT, 'node_modules'))) (await import('./setup.mjs')).install();
  await (await import('./programs.mjs')).commandLine();
}
await import(program);
