import { chmodSync, mkdirSync, mkdtempSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { privateDirectory } from './private-files.ts';

it('a data directory is its user’s alone, also one that was open to others, and nothing outside it changes', () => {
  const home = mkdtempSync(join(tmpdir(), 'gl-private-'));
  const mode = (...path: string[]): number => statSync(join(home, ...path)).mode & 0o777;
  try {
    privateDirectory(join(home, 'new', 'data'));
    expect(mode('new', 'data')).toBe(0o700);
    mkdirSync(join(home, 'old', 'db'), { recursive: true });
    writeFileSync(join(home, 'old', 'db', 'base'), 'x');
    writeFileSync(join(home, 'outside'), 'x');
    symlinkSync(join(home, 'outside'), join(home, 'old', 'link'));
    symlinkSync(join(home, 'nowhere'), join(home, 'old', 'dangling'));
    for (const [path, open] of [
      ['old', 0o755],
      ['old/db', 0o777],
      ['old/db/base', 0o666],
      ['outside', 0o644],
    ] as const)
      chmodSync(join(home, path), open);
    privateDirectory(join(home, 'old'));
    expect([mode('old'), mode('old', 'db'), mode('old', 'db', 'base'), mode('outside')]).toEqual([
      0o700, 0o700, 0o600, 0o644,
    ]);
  } finally {
    rmSync(home, { recursive: true, force: true });
  }
});
