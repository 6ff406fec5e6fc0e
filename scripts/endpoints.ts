/** Every endpoint there is, found by its file. */
import { readdirSync } from 'node:fs';
import { fileURLToPath, pathToFileURL } from 'node:url';
import type { Endpoint } from '../src/pages/api/_endpoint.ts';

const ROOT = fileURLToPath(new URL('../src/pages', import.meta.url));

export async function listEndpoints(): Promise<
  { file: string; path: string; method: string; declared: Endpoint['declared'] | undefined }[]
> {
  const files = (readdirSync(`${ROOT}/api`, { recursive: true }) as string[])
    .filter((f) => f.endsWith('.ts') && !/(^|\/)_|\.test\.ts$/.test(f))
    .sort();
  const found = [];
  for (const f of files) {
    const module = (await import(pathToFileURL(`${ROOT}/api/${f}`).href)) as Record<
      string,
      Partial<Endpoint>
    >;
    for (const [method, handler] of Object.entries(module))
      if (/^[A-Z]+$/.test(method))
        found.push({
          file: `src/pages/api/${f}`,
          path: `/api/${f.replace(/\.ts$/, '').replace(/(^|\/)index$/, '')}`,
          method,
          declared: handler.declared,
        });
  }
  return found;
}
