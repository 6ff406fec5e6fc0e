/** Fails where a file under src/pages/api exports a method that was not made by `endpoint`. */
import { listEndpoints } from './endpoints.ts';

const all = await listEndpoints();
const bare = all.filter((e) => !e.declared);
for (const e of bare)
  process.stderr.write(`${e.file}: ${e.method} declares no role and no input; make it with endpoint()\n`);
if (all.length === 0) process.stderr.write('No endpoints were found, which cannot be.\n');
process.exit(bare.length || all.length === 0 ? 1 : 0);
