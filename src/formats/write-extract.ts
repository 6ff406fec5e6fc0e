/** Writing the bulk extract, version 1: as a directory, or as a zip that streams out. */
import { createWriteStream, mkdirSync, writeFileSync, type WriteStream } from 'node:fs';
import { join } from 'node:path';
import { Zip, ZipDeflate } from 'fflate';
import type { Manifest } from './extract.ts';

export const manifestText = (m: Manifest): string =>
  `${JSON.stringify({ format: 'gate-lantern-extract', version: 1, ...m }, null, 2)}\n`;

/** Files whose lines come in pieces of text. */
export type Files = Iterable<{ name: string; lines: AsyncIterable<string> }>;

/** Writes an extract as a directory, which is made; files in it are replaced. */
export async function writeDirectory(path: string, manifest: Manifest, files: Files): Promise<void> {
  mkdirSync(path, { recursive: true });
  writeFileSync(join(path, 'manifest.json'), manifestText(manifest));
  for (const { name, lines } of files) {
    const out: WriteStream = createWriteStream(join(path, name));
    for await (const text of lines)
      if (!out.write(text)) await new Promise<void>((r) => out.once('drain', () => r()));
    await new Promise<void>((done, failed) => {
      out.once('error', failed);
      out.end(() => done());
    });
  }
}

/** An extract as the bytes of a zip, piece by piece; nothing is held beyond a piece. */
export async function* zipOf(manifest: Manifest, files: Files): AsyncGenerator<Uint8Array> {
  let ready: Uint8Array[] = [];
  let failed: Error | undefined;
  const zip = new Zip((error, piece) => {
    if (error) failed = error;
    else ready.push(piece);
  });
  const encoder = new TextEncoder();
  const out = function* (): Generator<Uint8Array> {
    if (failed) throw failed;
    yield* ready;
    ready = [];
  };
  const first = new ZipDeflate('manifest.json', { level: 1 });
  zip.add(first);
  first.push(encoder.encode(manifestText(manifest)), true);
  for (const { name, lines } of files) {
    const file = new ZipDeflate(name, { level: 1 });
    zip.add(file);
    for await (const text of lines) {
      file.push(encoder.encode(text));
      yield* out();
    }
    file.push(new Uint8Array(0), true);
    yield* out();
  }
  zip.end();
  yield* out();
}
