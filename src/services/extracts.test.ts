import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Writable } from 'node:stream';
import { afterAll, describe, expect, it } from 'vitest';
import type { Engine } from '../engine/engine.ts';
import { Extracts } from './extracts.ts';
import type { Ledger } from './ledger.ts';
import type { Surveys } from './survey/surveys.ts';

const home = mkdtempSync(join(tmpdir(), 'gl-uploads-'));
afterAll(() => rmSync(home, { recursive: true, force: true }));
const uploads = (open?: (path: string) => Writable) =>
  new Extracts(home, {} as Surveys, {} as Engine, {} as Ledger, open);

async function* body(pieces: number, fails?: Error): AsyncGenerator<Uint8Array> {
  for (let n = 0; n < pieces; n++) {
    await new Promise((r) => setImmediate(r));
    yield Buffer.from(`${n};`);
  }
  if (fails) throw fails;
}

describe('a file of an upload', () => {
  it('is kept as it came', async () => {
    const extracts = uploads();
    const { id } = extracts.begin();
    expect(await extracts.put(id, 'items.jsonl', body(3))).toEqual({ bytes: 6 });
    expect(readFileSync(join(home, id, 'items.jsonl'), 'utf8')).toBe('0;1;2;');
  });

  it('whose name is too long for a disk, or leads elsewhere, is refused and leaves nothing', async () => {
    const extracts = uploads();
    const { id } = extracts.begin();
    await expect(extracts.put(id, `files/${'é'.repeat(200)}`, body(50))).rejects.toMatchObject({
      code: 'name-too-long',
    });
    for (const bad of ['../x.zip', 'files/../x', 'files/a/b', '/etc/passwd', 'files/', 'x.exe'])
      await expect(extracts.put(id, bad, body(1)), bad).rejects.toMatchObject({ code: 'not-of-an-extract' });
    expect(
      readdirSync(join(home, id)).flatMap((n) => (n === 'files' ? readdirSync(join(home, id, n)) : n)),
    ).toEqual([]);
  });

  // whatever fails, at whatever moment: the one that sends is told, and nothing else happens
  for (const [what, at, code] of [
    ['cannot be opened', 0, 'ENAMETOOLONG'],
    ['is on a disk that is full at once', 0, 'ENOSPC'],
    ['is on a disk that becomes full', 3, 'ENOSPC'],
    ['cannot be closed', 'end', 'EIO'],
  ] as const)
    it(`that ${what} is an answer, and no crash`, async () => {
      const error = Object.assign(new Error(code), { code });
      let written = 0;
      const extracts = uploads(
        () =>
          new Writable({
            construct: (done) => done(at === 0 && code === 'ENAMETOOLONG' ? error : null),
            write: (_piece, _encoding, done) => done(written++ >= Number(at) && at !== 'end' ? error : null),
            final: (done) => done(at === 'end' ? error : null),
          }),
      );
      const { id } = extracts.begin();
      await expect(extracts.put(id, 'items.jsonl', body(10))).rejects.toMatchObject({
        code: code === 'ENOSPC' ? 'disk-full' : code,
      });
    });

  it('whose sender goes away in the middle is gone', async () => {
    const extracts = uploads();
    const { id } = extracts.begin();
    await expect(extracts.put(id, 'items.jsonl', body(5, new Error('aborted')))).rejects.toThrow('aborted');
    expect(existsSync(join(home, id, 'items.jsonl'))).toBe(false);
  });
});
