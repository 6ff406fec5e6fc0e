/** Fails where an endpoint was not made by `endpoint`, or where the list of the typed client is not of these. */
import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { ENDPOINTS_FILE, endpointsModule, listEndpoints } from './endpoints.ts';

/** Folders of endpoints for machines, and the only way to make one there. */
const MACHINES = { scim: 'scim', access: 'authzen' } as const;
const all = await listEndpoints();
const wrong: string[] = all
  .filter((e) => !e.declared)
  .map((e) => `${e.file}: ${e.method} declares no role, scope and input; make it with endpoint()`);
for (const [folder, made] of Object.entries(MACHINES)) {
  const path = fileURLToPath(new URL(`../src/pages/${folder}`, import.meta.url));
  for (const file of readdirSync(path, { recursive: true }) as string[]) {
    if (!file.endsWith('.ts') || /(^|\/)_/.test(file)) continue;
    const module = (await import(pathToFileURL(`${path}/${file}`).href)) as Record<
      string,
      { declared?: Record<string, unknown> }
    >;
    for (const [method, handler] of Object.entries(module))
      if (/^[A-Z]+$/.test(method) && !handler.declared?.[made])
        wrong.push(`src/pages/${folder}/${file}: ${method} is not made with ${made}()`);
  }
}
if (all.length === 0) wrong.push('No endpoints were found, which cannot be.');
if (readFileSync(ENDPOINTS_FILE, 'utf8') !== endpointsModule())
  wrong.push('src/ui/frame/endpoints.ts is not of these endpoints: npm run endpoints');
for (const w of wrong) process.stderr.write(`${w}\n`);
process.exit(wrong.length ? 1 : 0);
