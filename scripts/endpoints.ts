/** Every endpoint there is, found by its file; run as a program it writes the list that the typed client reads. */
import { readdirSync, writeFileSync } from 'node:fs';
import { fileURLToPath, pathToFileURL } from 'node:url';
import type { Endpoint } from '../src/pages/api/_endpoint.ts';

const ROOT = fileURLToPath(new URL('../src/pages', import.meta.url));
const LIST = fileURLToPath(new URL('../src/ui/frame/endpoints.ts', import.meta.url));

const listFiles = (): string[] =>
  (readdirSync(`${ROOT}/api`, { recursive: true }) as string[])
    .filter((f) => f.endsWith('.ts') && !/(^|\/)_|\.test\.ts$/.test(f))
    .sort();
const pathOf = (file: string): string => `/api/${file.replace(/\.ts$/, '').replace(/\/index$/, '')}`;

export async function listEndpoints(): Promise<
  { file: string; path: string; method: string; declared: Endpoint['declared'] | undefined }[]
> {
  const found = [];
  for (const f of listFiles()) {
    const module = (await import(pathToFileURL(`${ROOT}/api/${f}`).href)) as Record<
      string,
      Partial<Endpoint>
    >;
    for (const [method, handler] of Object.entries(module))
      if (/^[A-Z]+$/.test(method))
        found.push({
          file: `src/pages/api/${f}`,
          path: pathOf(f),
          method,
          declared: handler.declared,
        });
  }
  return found;
}

/** The list as a module: types alone, so that nothing of the server is built into pages. */
export function endpointsModule(): string {
  const files = listFiles();
  return [
    '/** The endpoints by path, for the typed client. Made by `npm run endpoints`; not to be edited. */',
    ...files.map((f, i) => `import type * as E${i} from '../../pages/api/${f}';`),
    '',
    'export interface Endpoints {',
    ...files.map((f, i) => `  '${pathOf(f)}': typeof E${i};`),
    '}',
    '',
  ].join('\n');
}
export const ENDPOINTS_FILE = LIST;

if (process.argv[1] === fileURLToPath(import.meta.url)) writeFileSync(LIST, endpointsModule());
