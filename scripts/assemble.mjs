/** Assembles the core's WebAssembly; run by hand it writes each module's -wasm.ts beside it. */
import { Buffer } from 'node:buffer';
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import wabt from 'wabt';

const core = new URL('../src/core/', import.meta.url);
const MODULES = { 'access/bits': 'BITS_WASM', 'exposure/cells': 'CELLS_WASM', 'recognise/scan': 'SCAN_WASM' };

/** The bytes of a module: `access/bits` or `recognise/scan`. */
export async function assemble(module) {
  const source = readFileSync(new URL(`${module}.wat`, core), 'utf8');
  const parsed = (await wabt()).parseWat(`${module}.wat`, source, { simd: true });
  return Buffer.from(parsed.toBinary({}).buffer);
}

if (process.argv[1] === fileURLToPath(import.meta.url))
  for (const [module, name] of Object.entries(MODULES))
    writeFileSync(
      new URL(`${module}-wasm.ts`, core),
      `/** ${module.split('/')[1]}.wat assembled: node scripts/assemble.mjs */\nexport const ${name} =\n  '${(await assemble(module)).toString('base64')}';\n`,
    );
