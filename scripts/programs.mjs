// Bundles the programs and their threads, each into one file of dist/app, so that they start without compiling (0.3 s);
// then makes the empty database that new ones begin with.
import { createHash } from 'node:crypto';
import { mkdir, mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const ROOT = fileURLToPath(new URL('..', import.meta.url));
const OUT = join(ROOT, 'dist', 'app');

const PROGRAMS = {
  server: 'src/server.ts',
  'db.thread': 'src/store/db.thread.ts',
  'engine.thread': 'src/engine/engine.thread.ts',
  'survey.thread': 'src/services/survey/survey.thread.ts',
  'scan.thread': 'src/services/scan/scan.thread.ts',
  'make-empty': 'src/store/make-empty.ts',
  standins: 'standins/server.ts',
  demo: 'demo/run.ts',
};

/** `import.meta.url` stays that of the source, so that what is read from beside it is found. */
const sourceUrls = {
  name: 'source-urls',
  setup: ({ onLoad }) =>
    onLoad({ filter: /\.ts$/ }, async ({ path }) => {
      if (path.includes('node_modules')) return undefined;
      const source = await readFile(path, 'utf8');
      const from = relative(OUT, path).replaceAll('\\', '/');
      return {
        loader: 'ts',
        contents: source.replaceAll('import.meta.url', `new URL('${from}', import.meta.url).href`),
      };
    }),
};

/** Packages stay where they are, but for Zod: it is a hundred files, and reading them takes longer than a small question. */
const packages = {
  name: 'packages',
  setup: ({ onResolve }) =>
    onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === 'entry-point' || /^zod(?:$|\/)/.test(path) ? undefined : { path, external: true },
    ),
};

/** Tells one build of the program from another: what one worked out and kept is not for the next. */
async function sourcesHash() {
  const hash = createHash('sha256');
  for (const part of ['core', 'engine'])
    for (const name of (await readdir(join(ROOT, 'src', part), { recursive: true })).sort())
      if (/(?<!\.test)\.ts$/.test(name))
        hash.update(name).update(await readFile(join(ROOT, 'src', part, name)));
  return hash.digest('hex');
}

let hashed;
const bundle = async (programs, options) =>
  build({
    absWorkingDir: ROOT,
    entryPoints: Object.entries(programs).map(([out, source]) => ({ in: source, out })),
    outdir: OUT,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    format: 'esm',
    platform: 'node',
    target: 'node20.20',
    keepNames: true,
    sourcemap: true,
    define: { BUILT: 'true', BUILD: JSON.stringify(await (hashed ??= sourcesHash())) },
    plugins: [sourceUrls, packages],
    logLevel: 'warning',
    ...options,
  });

/** The command line: in parts, so that a command loads what it needs. */
export async function commandLine() {
  await mkdir(OUT, { recursive: true });
  for (const old of await readdir(OUT)) if (/^gl\b/.test(old)) await rm(join(OUT, old));
  await bundle({ gl: 'src/cli/gl.ts' }, { splitting: true, chunkNames: 'gl-[name]-[hash]' });
}

async function programs() {
  await bundle(PROGRAMS);
  await commandLine();
  await import('../dist/app/make-empty.mjs');
}

/** Vitest calls it before tests, and what it gives after them: a directory is there for what test files share. */
export default async function beforeTests() {
  await programs();
  const prepared = await mkdtemp(join(tmpdir(), 'gl-prepared-'));
  process.env.GATE_LANTERN_PREPARED = prepared;
  return () => rm(prepared, { recursive: true, force: true });
}

if (process.argv[1] === fileURLToPath(import.meta.url)) await programs();
