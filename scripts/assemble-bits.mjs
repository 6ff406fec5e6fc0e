/** Assembles src/core/access/bits.wat; run by hand it writes bits-wasm.ts beside it. */
import { Buffer } from 'node:buffer';
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import wabt from 'wabt';

const folder = new URL('../src/core/access/', import.meta.url);

/** The bytes of the module. */
export async function assemble() {
  const source = readFileSync(new URL('bits.wat', folder), 'utf8');
  const parsed = (await wabt()).parseWat('bits.wat', source, { simd: true });
  return Buffer.from(parsed.toBinary({}).buffer);
}

if (process.argv[1] === fileURLToPath(import.meta.url))
  writeFileSync(
    new URL('bits-wasm.ts', folder),
    `/** bits.wat assembled: node scripts/assemble-bits.mjs */\nexport const BITS_WASM =\n  '${(await assemble()).toString('base64')}';\n`,
  );
