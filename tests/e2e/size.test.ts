/** What each view ships, as built: every script it loads before anything is pressed, gzipped. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { STEPS } from '../../src/ui/views.ts';

const MOST = 350_000;
const DIR = 'dist/pages/client/_astro';
const files = readdirSync(DIR).filter((f) => f.endsWith('.js'));
/** The component of each view, as its page names it. */
const views = STEPS.flatMap((s) => s.views).map(({ path }) => {
  const component = /import \w+ from '[^']*\/(\w+)\.tsx'/.exec(
    readFileSync(`src/pages${path}.astro`, 'utf8'),
  );
  return [path, component![1]!] as const;
});

/** A script and all that it imports statically. */
function closure(file: string, seen = new Set<string>()): Set<string> {
  if (seen.has(file)) return seen;
  seen.add(file);
  for (const [, next] of readFileSync(join(DIR, file), 'utf8').matchAll(
    /(?:from|import)\s*["']\.\/([^"']+\.js)["']/g,
  ))
    closure(next!, seen);
  return seen;
}

it.each(views)('%s ships no more than 350 kB of script', (path, view) => {
  const entry = files.find((f) => f.startsWith(`${view}.`));
  expect(entry, view).toBeDefined();
  const loaded = closure(entry!);
  for (const f of files.filter((x) => x.startsWith('client.'))) closure(f, loaded);
  expect(loaded.size).toBeGreaterThan(3);
  const bytes = [...loaded].reduce((n, f) => n + gzipSync(readFileSync(join(DIR, f))).length, 0);
  expect(bytes).toBeGreaterThan(40_000);
  expect(bytes, `${path}: ${bytes}`).toBeLessThanOrEqual(MOST);
});
