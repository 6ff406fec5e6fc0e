/** Where an extract lies: the files of a directory, or the members of a zip. */
import { createReadStream, readdirSync, statSync, type Dirent } from 'node:fs';
import { open } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream';
import { crc32, createGunzip } from 'node:zlib';
import { distance } from 'fastest-levenshtein';
import { byCode } from '../core/sorts.ts';
import { openPromise, type Entry, type ZipFile } from 'yauzl';

/** What is wrong with an extract as a whole. */
export class ExtractError extends Error {
  override name = 'ExtractError';
}

export interface Member {
  /** Its name without `.gz`; under files/, the id of the item. */
  name: string;
  /** What reading it adds to `Container.read`. */
  bytes: number;
  /** The content, unpacked. Throws ExtractError where it is damaged, at the latest at its end. */
  pieces(): AsyncIterable<Uint8Array>;
}

type Bytes = AsyncIterable<Uint8Array>;

/** Files that are packed grow by less than this; counted from 250 MB on. */
const MOST_GROWTH = 250;
const GROWTH_COUNTS_FROM = 250_000_000;
const swells = (unpacked: number, packed: number): boolean =>
  unpacked > GROWTH_COUNTS_FROM && unpacked > packed * MOST_GROWTH;

/** What there is to read, sorted by what it is for. */
export class Container {
  readonly members = new Map<string, Member>();
  /** The real files of items. */
  readonly files: Member[] = [];
  /** What is there and is not read, and why. */
  readonly left: { file: string; reason: string }[] = [];
  /** Bytes read so far. */
  read = 0;

  /** `known` are the names of the files of an extract, without `.gz`. */
  constructor(private readonly known: readonly string[]) {}

  /** Reads everything there is a checksum for. Throws ExtractError where something is damaged. */
  check: (progress: (done: number, of: number) => void) => Promise<void> = () => Promise.resolve();
  close: () => void = () => undefined;

  /** Adds a file, which may be `.gz`, by its name in the extract. */
  add(file: string, bytes: number, open: () => Bytes): void {
    if (file.startsWith('.') || file.startsWith('__MACOSX/')) return;
    const counted = () => this.counted(open());
    if (/^files\/[^/]+$/.test(file)) {
      this.files.push({ name: itemOfFile(file.slice('files/'.length)), bytes, pieces: counted });
      return;
    }
    const packed = file.endsWith('.gz');
    const name = packed ? file.slice(0, -'.gz'.length) : file;
    if (!this.known.includes(name)) {
      this.left.push({ file, reason: this.unknown(name) });
      return;
    }
    const twin = this.members.has(name);
    if (twin) this.left.push({ file: `${name}.gz`, reason: `not read, because ${name} is there too` });
    if (!twin || !packed)
      this.members.set(name, {
        name,
        bytes,
        pieces: () => (packed ? unpacked(file, bytes, counted()) : counted()),
      });
  }

  private async *counted(pieces: Bytes): Bytes {
    for await (const piece of pieces) {
      this.read += piece.length;
      yield piece;
    }
  }

  private unknown(name: string): string {
    const [near] = this.known
      .map((k) => ({ k, far: distance(k, name.toLowerCase()) }))
      .filter(({ far }) => far <= 2)
      .sort((a, b) => a.far - b.far);
    return `not a file of an extract, so it is not read${near ? `. Should it be named ${near.k}?` : ''}`;
  }
}

/** The item whose real file this is, by its name under files/. */
function itemOfFile(name: string): string {
  try {
    return decodeURIComponent(name);
  } catch {
    return name;
  }
}

/** The content of a gzip file (RFC 1952), whose checksum is checked at its end. */
async function* unpacked(file: string, bytes: number, packed: Bytes): Bytes {
  const gunzip = createGunzip({ chunkSize: 1 << 18 });
  // what goes wrong on either side ends the reading below
  pipeline(packed, gunzip, () => undefined);
  let grown = 0;
  try {
    for await (const piece of gunzip as AsyncIterable<Uint8Array>) {
      grown += piece.length;
      if (swells(grown, bytes))
        throw new ExtractError(
          `${file} grows to more than ${MOST_GROWTH} times its size, so it is not read.`,
        );
      yield piece;
    }
  } catch (e) {
    if (e instanceof ExtractError) throw e;
    throw new ExtractError(`${file} is damaged: ${(e as Error).message}.`);
  }
}

/**
 * Opens a directory or a zip; `known` are the names of the files of an extract, without `.gz`.
 * Throws ExtractError where it is neither, or where it holds links, devices, or what cannot be unpacked.
 */
export async function openContainer(path: string, known: readonly string[]): Promise<Container> {
  const stat = statSync(path, { throwIfNoEntry: false });
  if (!stat) throw new ExtractError(`${path} is not there.`);
  if (stat.isDirectory()) return directory(path, known);
  if (!stat.isFile()) throw new ExtractError(`${path} is neither a directory nor a zip.`);
  return zip(path, stat.size, known);
}

function directory(path: string, known: readonly string[]): Container {
  const container = new Container(known);
  const list = (below: string): Dirent[] =>
    readdirSync(join(path, below), { withFileTypes: true }).sort((a, b) => byCode(a.name, b.name));
  const add = (entry: Dirent, below: string): void => {
    const file = below + entry.name;
    if (entry.isDirectory()) container.left.push({ file: `${file}/`, reason: 'a folder, so it is not read' });
    else if (!entry.isFile())
      throw new ExtractError(
        `${file} is ${entry.isSymbolicLink() ? 'a symbolic link' : 'no plain file'}, which an extract may not hold.`,
      );
    else
      container.add(file, statSync(join(path, file)).size, () =>
        createReadStream(join(path, file), { highWaterMark: 1 << 20 }),
      );
  };
  for (const entry of list('')) {
    if (entry.name === 'files' && entry.isDirectory()) for (const file of list('files')) add(file, 'files/');
    else add(entry, '');
  }
  return container;
}

/** Ways to pack that are not read (APPNOTE.TXT §4.4.5, from PKWARE). */
const METHODS: Record<number, string> = {
  9: 'Deflate64',
  12: 'bzip2',
  14: 'LZMA',
  93: 'Zstandard',
  95: 'XZ',
  98: 'PPMd',
};

/** The files of a zip, at its root or in one folder. */
async function zip(path: string, size: number, known: readonly string[]): Promise<Container> {
  const damaged = (e: unknown): ExtractError =>
    e instanceof ExtractError
      ? e
      : new ExtractError(`${path} is not a zip that can be read: ${(e as Error).message}`);
  const file = await openPromise(path, { lazyEntries: true, autoClose: false }).catch((e: unknown) => {
    throw damaged(e);
  });
  try {
    const entries: Entry[] = [];
    for await (const entry of file.eachEntry()) {
      mayBeRead(entry);
      entries.push(entry);
    }
    // a directory of the archive that is cut short would hide members
    await endsHere(path, (file as unknown as { readEntryCursor: number }).readEntryCursor);
    const names = new Set<string>();
    const twice = entries.find((e) => names.size === names.add(e.fileName).size)?.fileName;
    if (twice !== undefined) throw new ExtractError(`${path} holds ${twice} twice.`);
    const files = entries.filter((e) => !e.fileName.endsWith('/'));
    const bytes = files.reduce((sum, e) => sum + e.uncompressedSize, 0);
    if (swells(bytes, size))
      throw new ExtractError(`The zip grows to more than ${MOST_GROWTH} times its size, so it is not read.`);
    const folder = folderOf(path, names);
    const container = new Container(known);
    for (const entry of files)
      if (entry.fileName.startsWith(folder))
        container.add(entry.fileName.slice(folder.length), entry.uncompressedSize, () =>
          content(file, entry),
        );
      else container.left.push({ file: entry.fileName, reason: `not in ${folder}, so it is not read` });
    container.check = async (progress) => {
      let read = 0;
      for (const entry of files)
        for await (const piece of content(file, entry)) progress((read += piece.length), bytes);
    };
    container.close = () => file.close();
    return container;
  } catch (e) {
    file.close();
    throw damaged(e);
  }
}

function mayBeRead(entry: Entry): void {
  if (entry.isEncrypted()) throw new ExtractError(`${entry.fileName} is encrypted, so it cannot be read.`);
  const method = entry.compressionMethod;
  if (method !== 0 && method !== 8)
    throw new ExtractError(
      `${entry.fileName} is packed by ${METHODS[method] ?? `method ${method}`}, which is not read here. Pack it by Deflate.`,
    );
  // where the archive was made on Unix, the kind of file stands in the upper half (st_mode of POSIX)
  const kind = entry.versionMadeBy >> 8 === 3 ? (entry.externalFileAttributes >>> 16) & 0o170000 : 0;
  if (kind && kind !== 0o100000 && kind !== 0o040000)
    throw new ExtractError(
      `${entry.fileName} is ${kind === 0o120000 ? 'a symbolic link' : 'no plain file'}, which an extract may not hold.`,
    );
}

/** Throws where what follows the last member listed is not the end of the list. */
async function endsHere(path: string, at: number): Promise<void> {
  const handle = await open(path);
  try {
    const { buffer } = await handle.read(Buffer.alloc(4), 0, 4, at);
    // the end of the list, that of a large archive, or a signature over it (APPNOTE.TXT §4.3.13–4.3.16)
    if (![0x06054b50, 0x06064b50, 0x05054b50].includes(buffer.readUInt32LE(0)))
      throw new ExtractError(`${path} is damaged: its list of files does not end where it says.`);
  } finally {
    await handle.close();
  }
}

/** The folder in a zip that the extract lies in, with a slash at its end; empty where it lies at the root. */
function folderOf(path: string, names: ReadonlySet<string>): string {
  const manifests = [...names].filter((n) => /^(?:[^/]+\/)?manifest\.json(?:\.gz)?$/.test(n));
  if (!manifests.length || manifests.some((n) => !n.includes('/'))) return '';
  const folders = [...new Set(manifests.map((n) => n.slice(0, n.indexOf('/') + 1)))];
  if (folders.length > 1)
    throw new ExtractError(`${path} holds more than one extract: ${folders.join(', ')}.`);
  return folders[0]!;
}

/** A member's content; what is before it in the archive, its size and its CRC-32 must be what the list says. */
async function* content(file: ZipFile, entry: Entry): Bytes {
  const damaged = (why: string): ExtractError =>
    new ExtractError(`${entry.fileName} is damaged in the zip: ${why}.`);
  let sum = 0;
  try {
    const local = await file.readLocalFileHeaderPromise(entry);
    if (!local.fileName.equals(entry.fileNameRaw) || local.compressionMethod !== entry.compressionMethod)
      throw damaged('what stands before it is not what the list of files says');
    const stream = (await file.openReadStreamPromise(entry)) as AsyncIterable<Uint8Array>;
    for await (const piece of stream) {
      sum = crc32(piece, sum);
      yield piece;
    }
  } catch (e) {
    throw e instanceof ExtractError ? e : damaged((e as Error).message);
  }
  if (sum !== entry.crc32) throw damaged('its checksum is wrong');
}
