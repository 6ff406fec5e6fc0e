/** Fails where an endpoint was not made by `endpoint`, or where the list of the typed client is not of these. */
import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { ENDPOINTS_FILE, endpointsModule, listEndpoints } from './endpoints.ts';

const SCIM = fileURLToPath(new URL('../src/pages/scim', import.meta.url));
const all = await listEndpoints();
const wrong: string[] = all
  .filter((e) => !e.declared)
  .map((e) => `${e.file}: ${e.method} declares no role, scope and input; make it with endpoint()`);
for (const file of readdirSync(SCIM, { recursive: true }) as string[]) {
  if (!file.endsWith('.ts') || /(^|\/)_/.test(file)) continue;
  const module = (await import(pathToFileURL(`${SCIM}/${file}`).href)) as Record<
    string,
    { declared?: { scim: true } }
  >;
  for (const [method, handler] of Object.entries(module))
    if (/^[A-Z]+$/.test(method) && !handler.declared?.scim)
      wrong.push(`src/pages/scim/${file}: ${method} is not made with scim()`);
}
if (all.length === 0) wrong.push('No endpoints were found, which cannot be.');
if (readFileSync(ENDPOINTS_FILE, 'utf8') !== endpointsModule())
  wrong.push('src/ui/frame/endpoints.ts is not of these endpoints: npm run endpoints');
for (const w of wrong) process.stderr.write(`${w}\n`);
process.exit(wrong.length ? 1 : 0);
