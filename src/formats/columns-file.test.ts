import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { ColumnsFileError, readColumns, writeColumns } from './columns-file.ts';

const home = mkdtempSync(join(tmpdir(), 'gl-columns-'));
const path = join(home, 'it');
afterAll(() => rmSync(home, { recursive: true, force: true }));

const { value } = fc.letrec<{ value: unknown }>((tie) => ({
  value: fc.oneof(
    { maxDepth: 4 },
    fc.constantFrom(null, true, 0, -1.5, '', 'ä\u0000', '$'),
    fc.int32Array({ maxLength: 20 }),
    fc.uint8Array({ maxLength: 20 }),
    fc.float64Array({ maxLength: 20 }),
    fc.array(tie('value'), { maxLength: 4 }),
    fc
      .dictionary(fc.constantFrom('a', 'b', '$', '$$', '$a', 'ö'), tie('value'), { maxKeys: 4 })
      .map((d) => ({ ...d })),
  ),
}));

describe('a file of columns', () => {
  it('holds any value with typed arrays in it', async () => {
    await fc.assert(
      fc.asyncProperty(value, async (v) => {
        await writeColumns(path, 3, v);
        expect(await readColumns(path, 3)).toEqual(v);
        await expect(readColumns(path, 4)).rejects.toThrow(ColumnsFileError);
      }),
      { numRuns: 60 },
    );
    expect(statSync(path).mode & 0o777).toBe(0o600);
  });

  it('is written whole or not at all', async () => {
    await writeColumns(path, 1, { of: Int32Array.of(1, 2, 3) });
    const before = readFileSync(path);
    for (let at = 0; ; at++) {
      let n = 0;
      const ended = await writeColumns(path, 1, [new Uint8Array(40_000_000), 'another'], () => {
        if (n++ === at) throw new Error('left');
      }).then(
        () => true,
        () => false,
      );
      if (ended) break;
      expect(readFileSync(path)).toEqual(before);
      expect(readdirSync(home)).toEqual(['it']);
    }
    expect(await readColumns(path, 1)).toMatchObject({ 1: 'another' });
    await expect(readColumns(join(home, 'none'), 1)).rejects.toThrow('ENOENT');
  });
});
