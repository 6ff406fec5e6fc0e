/**
 * A value with typed arrays anywhere in it as one file: the arrays as they lie in memory, everything else as JSON. For
 * what can be made again, and is only quicker to read: numbers are in this machine's byte order.
 *
 *     "GLCOLS" format(u16) headerBytes(u32) headerCrc(u32) header, then each array: zeros up to a multiple of 8, bytes.
 *
 * The header says what arrays there are. The last is what is not arrays, as JSON: it is read after the others, so that
 * the garbage collector does not go through it each time that room is taken for one.
 *
 * CRC-32 as in zlib guards the header and each array, and tells damage, not malice.
 */
import { readSync } from 'node:fs';
import { open, rename, rm, type FileHandle } from 'node:fs/promises';
import { setImmediate } from 'node:timers/promises';
import { crc32 } from 'node:zlib';

const MAGIC = 'GLCOLS';
const START = 16;
const ALIGN = 8;
/** Read, written or summed at a stretch; then it is others' turn. */
const STRETCH = 16 * 1024 * 1024;
/** Read at once: what is summed next is still in the processor's cache. */
const PIECE = 1024 * 1024;
const LITTLE = new Uint8Array(Uint16Array.of(1).buffer)[0] === 1;

const KINDS = { i32: Int32Array, f64: Float64Array, u8: Uint8Array };
type Kind = keyof typeof KINDS;
type Column = Int32Array | Float64Array | Uint8Array;

interface Section {
  kind: Kind;
  at: number;
  bytes: number;
  crc: number;
}
interface Header {
  little: boolean;
  sections: Section[];
}

/** The file is damaged, or is not one. */
export class ColumnsFileError extends Error {}

const bytesOf = (c: Column): Uint8Array => new Uint8Array(c.buffer, c.byteOffset, c.byteLength);
const kindOf = (v: unknown): Kind | undefined =>
  ArrayBuffer.isView(v) ? (Object.keys(KINDS) as Kind[]).find((k) => v instanceof KINDS[k]) : undefined;

/**
 * Writes a value to a file, whole or not at all. `ahead` is called between stretches and may throw, which ends it: what is
 * written must not change meanwhile.
 */
export async function writeColumns(
  path: string,
  format: number,
  value: unknown,
  ahead: () => void = () => undefined,
): Promise<void> {
  const columns: Column[] = [];
  const sections: Section[] = [];
  let at = 0;
  const take = (v: unknown): unknown => {
    const kind = kindOf(v);
    if (kind) {
      const column = v as Column;
      at = Math.ceil(at / ALIGN) * ALIGN;
      sections.push({ kind, at, bytes: column.byteLength, crc: 0 });
      at += column.byteLength;
      return { $: columns.push(column) - 1 };
    }
    if (Array.isArray(v)) return v.map(take);
    // an object that has the mark for an array is put one deeper
    if (v !== null && typeof v === 'object')
      return Object.fromEntries(
        Object.entries(v).map(([k, x]) => [k.startsWith('$') ? `$${k}` : k, take(x)]),
      );
    return v;
  };
  take(Buffer.from(JSON.stringify(take(value))));
  for (const [n, column] of columns.entries())
    for (let from = 0, bytes = bytesOf(column); from < bytes.length; from += STRETCH) {
      sections[n]!.crc = crc32(bytes.subarray(from, from + STRETCH), sections[n]!.crc);
      await turn(ahead);
    }
  const header = Buffer.from(JSON.stringify({ little: LITTLE, sections } satisfies Header));
  const start = Buffer.alloc(START);
  start.write(MAGIC, 'latin1');
  start.writeUInt16LE(format, 6);
  start.writeUInt32LE(header.length, 8);
  start.writeUInt32LE(crc32(header), 12);
  const aside = `${path}.part`;
  const file = await open(aside, 'w', 0o600);
  try {
    await writeAt(file, start, 0);
    await writeAt(file, header, START, ahead);
    const first = firstOf(header.length);
    for (const [n, column] of columns.entries())
      await writeAt(file, bytesOf(column), first + sections[n]!.at, ahead);
    await file.truncate(first + at);
    await file.sync();
    await file.close();
    await rename(aside, path);
  } catch (e) {
    await file.close().catch(() => undefined);
    await rm(aside, { force: true });
    throw e;
  }
}

/** Reads a file that `writeColumns` wrote in this format. Throws a ColumnsFileError where it is another, or damaged. */
export async function readColumns(path: string, format: number): Promise<unknown> {
  const file = await open(path);
  try {
    const { size } = await file.stat();
    const { bytes: start } = await readAt(file, START, 0, size);
    if (start.toString('latin1', 0, 6) !== MAGIC || start.readUInt16LE(6) !== format)
      throw new ColumnsFileError('It is of another format.');
    const { bytes: text, crc: is } = await readAt(file, start.readUInt32LE(8), START, size);
    if (is !== start.readUInt32LE(12)) throw new ColumnsFileError('Its header is damaged.');
    const header = JSON.parse(text.toString()) as Header;
    if (header.little !== LITTLE) throw new ColumnsFileError('It is of another machine.');
    const first = firstOf(text.length);
    const columns: Column[] = [];
    for (const { kind, at, bytes, crc } of header.sections) {
      const { bytes: part, crc: is } = await readAt(file, bytes, first + at, size);
      if (is !== crc) throw new ColumnsFileError('It is damaged.');
      const Made = KINDS[kind];
      columns.push(new Made(part.buffer as ArrayBuffer, part.byteOffset, bytes / Made.BYTES_PER_ELEMENT));
    }
    const put = (v: unknown): unknown => {
      if (Array.isArray(v)) {
        for (let i = 0; i < v.length; i++) if (v[i] !== null && typeof v[i] === 'object') v[i] = put(v[i]);
        return v;
      }
      if (v === null || typeof v !== 'object') return v;
      const record = v as Record<string, unknown>;
      if (typeof record.$ === 'number') return columns[record.$];
      const keys = Object.keys(record);
      if (keys.some((k) => k.startsWith('$')))
        return Object.fromEntries(keys.map((k) => [k.startsWith('$') ? k.slice(1) : k, put(record[k])]));
      for (const k of keys) record[k] = put(record[k]);
      return record;
    };
    const json = columns.pop() as Uint8Array;
    return put(JSON.parse(Buffer.from(json.buffer, json.byteOffset, json.byteLength).toString()));
  } finally {
    await file.close();
  }
}

const firstOf = (headerBytes: number): number => Math.ceil((START + headerBytes) / ALIGN) * ALIGN;

async function turn(ahead: () => void): Promise<void> {
  await setImmediate();
  ahead();
}

async function writeAt(file: FileHandle, bytes: Uint8Array, at: number, ahead?: () => void): Promise<void> {
  for (let from = 0; from < bytes.length;) {
    const { bytesWritten } = await file.write(bytes, from, Math.min(STRETCH, bytes.length - from), at + from);
    from += bytesWritten;
    if (ahead) await turn(ahead);
  }
}

/** Bytes of a file, with their CRC-32; each piece is summed while it is still at hand. */
async function readAt(
  file: FileHandle,
  length: number,
  at: number,
  size: number,
): Promise<{ bytes: Buffer; crc: number }> {
  if (length > size - at) throw new ColumnsFileError('Its end is missing.');
  const bytes = Buffer.allocUnsafeSlow(length);
  let crc = 0;
  for (let from = 0; from < length;) {
    const read = readSync(file.fd, bytes, from, Math.min(PIECE, length - from), at + from);
    if (!read) throw new ColumnsFileError('Its end is missing.');
    crc = crc32(bytes.subarray(from, from + read), crc);
    from += read;
    if (from % STRETCH === 0) await setImmediate();
  }
  return { bytes, crc };
}
