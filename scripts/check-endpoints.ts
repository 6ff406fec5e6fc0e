/** Fails where an endpoint was not made by `endpoint`, or where the list of the typed client is not of these. */
import { readFileSync } from 'node:fs';
import { ENDPOINTS_FILE, endpointsModule, listEndpoints } from './endpoints.ts';

const all = await listEndpoints();
const wrong: string[] = all
  .filter((e) => !e.declared)
  .map((e) => `${e.file}: ${e.method} declares no role, scope and input; make it with endpoint()`);
if (all.length === 0) wrong.push('No endpoints were found, which cannot be.');
if (readFileSync(ENDPOINTS_FILE, 'utf8') !== endpointsModule())
  wrong.push('src/ui/frame/endpoints.ts is not of these endpoints: npm run endpoints');
for (const w of wrong) process.stderr.write(`${w}\n`);
process.exit(wrong.length ? 1 : 0);
