/** Bulk extracts in and out: uploads that become a source, and surveys that go out as a zip. */
import { randomUUID } from 'node:crypto';
import { createWriteStream, existsSync, mkdirSync, readdirSync, rmSync } from 'node:fs';
import { basename, join } from 'node:path';
import type { Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { ExtractError, manifestOf } from '../formats/extract.ts';
import { zipOf } from '../formats/write-extract.ts';
import type { Engine } from '../engine/engine.ts';
import { EXPORT_FILES, type ExportFile } from '../engine/export.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import type { Surveys } from './survey/surveys.ts';

const FILE =
  /^(?:(?:manifest|columns)\.json|(?:users|groups)\.(?:json|csv)|(?:users|groups|spaces|items|grants|links|content|activity)\.jsonl(?:\.gz)?|files\/[^/\\]{1,300}|[^/\\]{1,200}\.zip)$/;
/** Larger files than this are not taken. */
const LARGEST = 16e9;
/** Bytes of a file's name on the file systems that are usual. */
const LONGEST_NAME = 255;

export class Extracts {
  constructor(
    private readonly directory: string,
    private readonly surveys: Surveys,
    private readonly engine: Engine,
    private readonly ledger: Ledger,
    /** Where an uploaded file goes. */
    private readonly open: (path: string) => Writable = (path) => createWriteStream(path, { mode: 0o600 }),
  ) {}

  /** Begins an upload; its files follow one by one. */
  begin(): { id: string } {
    const id = randomUUID();
    mkdirSync(join(this.directory, id), { recursive: true, mode: 0o700 });
    return { id };
  }

  private home(id: string): string {
    const home = join(this.directory, id);
    if (!/^[0-9a-f-]{36}$/.test(id) || !existsSync(home))
      throw new AppError('no-upload', 404, 'This upload no longer exists. Start again.');
    return home;
  }

  /** Takes one file of an upload as it streams by. */
  async put(id: string, name: string, body: AsyncIterable<Uint8Array> | null): Promise<{ bytes: number }> {
    const home = this.home(id);
    if (!FILE.test(name))
      throw new AppError(
        'not-of-an-extract',
        422,
        `${name.slice(0, 100)} is not a file of an extract. It was skipped.`,
      );
    const real = name.startsWith('files/');
    if (real) mkdirSync(join(home, 'files'), { recursive: true });
    const path = real
      ? join(home, 'files', encodeURIComponent(name.slice('files/'.length)).replace(/^\.+$/, '_'))
      : join(home, name.endsWith('.zip') ? 'extract.zip' : name);
    if (Buffer.byteLength(basename(path)) > LONGEST_NAME)
      throw new AppError(
        'name-too-long',
        422,
        `The name ${name.slice(0, 60)} … is too long to be kept on this machine. It was skipped.`,
      );
    let bytes = 0;
    const counted = async function* (): AsyncGenerator<Uint8Array> {
      for await (const piece of body ?? []) {
        bytes += piece.length;
        if (bytes > LARGEST)
          throw new AppError('too-large', 413, `${name} is larger than 16 GB and was not accepted.`);
        yield piece;
      }
    };
    const out = this.open(path);
    try {
      await pipeline(counted(), out);
    } catch (e) {
      // a file that is still being opened would come after it was removed
      if (!out.closed) await new Promise<void>((closed) => out.once('close', closed));
      rmSync(path, { force: true });
      const { code } = e as NodeJS.ErrnoException;
      if (code === 'ENOSPC' || code === 'EDQUOT')
        throw new AppError('disk-full', 507, `There is no room on the server’s disk for ${name}.`);
      throw e;
    }
    return { bytes };
  }

  /** Makes an upload a source and surveys it. Nothing is kept of one that cannot be read. */
  async finish(id: string, by: string): Promise<{ survey: number; source: string }> {
    const home = this.home(id);
    const zip = join(home, 'extract.zip');
    const path = existsSync(zip) ? zip : home;
    let name: string;
    try {
      name = (await manifestOf(path)).organisation.name;
    } catch (e) {
      rmSync(home, { recursive: true, force: true });
      if (e instanceof ExtractError)
        throw new AppError('not-an-extract', 422, e.message.replaceAll(path, 'What was uploaded'));
      throw e;
    }
    const source = `extract-${id.slice(0, 8)}`;
    await this.surveys.putSource(
      { id: source, kind: 'extract', name: `Extract of ${name || 'an organisation'}`, url: path, token: '-' },
      by,
    );
    return { survey: await this.surveys.start(by), source };
  }

  /** Uploads that never became a source are of no use after a restart. */
  async tidy(): Promise<void> {
    if (!existsSync(this.directory)) return;
    const used = await this.surveys.uploads();
    for (const name of readdirSync(this.directory))
      if (!used.some((u) => u.startsWith(join(this.directory, name))))
        rmSync(join(this.directory, name), { recursive: true, force: true });
  }

  /** A survey as a zip of the bulk extract; taking it out is on the ledger. */
  async export(survey: number | undefined, by: string): Promise<AsyncGenerator<Uint8Array>> {
    const manifest = await this.engine.ask.exportManifest(survey);
    if (!manifest) throw new AppError('no-survey', 404, 'There is no such survey.');
    await this.ledger.add({
      who: by,
      what: 'extract.exported',
      subject: survey ? `survey ${survey}` : 'present',
    });
    const { ask } = this.engine;
    const lines = async function* (file: ExportFile): AsyncGenerator<string> {
      for (let from: number | null = 0; from !== null;) {
        const part: { text: string; next: number | null } | undefined = await ask.exportLines(
          survey,
          file,
          from,
        );
        if (!part) return;
        yield part.text;
        from = part.next;
      }
    };
    return zipOf(
      manifest,
      EXPORT_FILES.map((name) => ({ name: `${name}.jsonl`, lines: lines(name) })),
    );
  }
}
