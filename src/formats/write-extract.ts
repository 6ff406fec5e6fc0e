/** Writing the bulk extract, version 1: as a directory, or as a zip that streams out. */
import { createWriteStream, mkdirSync, writeFileSync, type WriteStream } from 'node:fs';
import { join } from 'node:path';
import { Zip, ZipDeflate } from 'fflate';
import type { Manifest } from './extract.ts';

const manifestText = (m: Manifest): string =>
  `${JSON.stringify({ format: 'gate-lantern-extract', version: 1, ...m }, null, 2)}\n`;

/** Files whose lines come in pieces of text. */
type Files = Iterable<{ name: string; lines: AsyncIterable<string> }>;

/** Writes an extract as a directory, row by row in any order; files in it are replaced. */
export class DirectoryWriter {
  private readonly files = new Map<string, { out: WriteStream; waiting: string[] }>();

  constructor(
    private readonly path: string,
    manifest: Manifest,
  ) {
    mkdirSync(path, { recursive: true });
    writeFileSync(join(path, 'manifest.json'), manifestText(manifest));
  }

  /** Adds a line to a file such as `items.jsonl`. */
  put(file: string, row: unknown): void {
    let at = this.files.get(file);
    if (!at) this.files.set(file, (at = { out: createWriteStream(join(this.path, file)), waiting: [] }));
    at.waiting.push(JSON.stringify(row));
  }

  /** Writes what is waiting; resolves when more may come. */
  async flush(): Promise<void> {
    for (const { out, waiting } of this.files.values())
      if (waiting.length && !out.write(`${waiting.splice(0).join('\n')}\n`))
        await new Promise<void>((r) => out.once('drain', () => r()));
  }

  async end(): Promise<void> {
    await this.flush();
    for (const { out } of this.files.values())
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
