/**
 * A stream sealed with a passphrase: scrypt (RFC 7914) for the key, AES-256-GCM over chunks. Each chunk's nonce holds its
 * number and whether it is the last (the STREAM construction), so that chunks left out, put in another order or cut off at
 * the end are seen. The head is bound to every chunk.
 */
import { createCipheriv, createDecipheriv, createHash, randomBytes, scrypt } from 'node:crypto';

const MAGIC = 'gate-lantern-sealed 1';
const CHUNK = 65_536;
const TAG = 16;
/** OWASP's first choice for scrypt (common practice): 128 MiB. */
const COST = { N: 2 ** 17, r: 8, p: 1 } as const;
const LONGEST_HEAD = 1000;

/** It cannot be opened; the message says why. */
export class SealError extends Error {
  override name = 'SealError';
}
const wrong = (): SealError =>
  new SealError('The passphrase is not the one it was sealed with, or the file was damaged.');

const keyOf = (passphrase: string, salt: Buffer): Promise<Buffer> =>
  new Promise((resolve, reject) =>
    scrypt(passphrase.normalize('NFKC'), salt, 32, { ...COST, maxmem: 256 * 2 ** 20 }, (e, key) =>
      e ? reject(e) : resolve(key),
    ),
  );

function nonce(n: number, last: boolean): Buffer {
  const bytes = Buffer.alloc(12);
  bytes.writeUIntBE(n, 5, 6);
  bytes[11] = last ? 1 : 0;
  return bytes;
}

/** Pieces cut anew into chunks of one size; the last may be shorter, and is told. */
async function* chunks(pieces: AsyncIterable<Uint8Array>, size: number): AsyncGenerator<[Buffer, boolean]> {
  let kept: Uint8Array[] = [];
  let length = 0;
  for await (const piece of pieces) {
    kept.push(piece);
    length += piece.length;
    if (length <= size) continue;
    let whole: Buffer = Buffer.concat(kept);
    while (whole.length > size) {
      yield [whole.subarray(0, size), false];
      whole = whole.subarray(size);
    }
    kept = [whole];
    length = whole.length;
  }
  yield [Buffer.concat(kept), true];
}

export async function* seal(
  pieces: AsyncIterable<Uint8Array>,
  passphrase: string,
): AsyncGenerator<Uint8Array> {
  const salt = randomBytes(32);
  const key = await keyOf(passphrase, salt);
  const head = Buffer.from(`${JSON.stringify({ format: MAGIC, salt: salt.toString('base64') })}\n`);
  const about = createHash('sha256').update(head).digest();
  yield head;
  let n = 0;
  for await (const [plain, last] of chunks(pieces, CHUNK)) {
    const cipher = createCipheriv('aes-256-gcm', key, nonce(n++, last)).setAAD(about);
    yield Buffer.concat([cipher.update(plain), cipher.final(), cipher.getAuthTag()]);
  }
}

/** What was sealed; nothing of a chunk is given before it is known to be whole. Throws SealError. */
export async function* unseal(
  pieces: AsyncIterable<Uint8Array>,
  passphrase: string,
): AsyncGenerator<Uint8Array> {
  const source = pieces[Symbol.asyncIterator]();
  let start = Buffer.alloc(0);
  let end = -1;
  while (end < 0) {
    const next = await source.next();
    if (next.done || start.length > LONGEST_HEAD) throw new SealError('This is no backup of Gate Lantern.');
    start = Buffer.concat([start, next.value]);
    end = start.indexOf(10);
  }
  const head = start.subarray(0, end + 1);
  let salt: Buffer;
  try {
    const { format, salt: text } = JSON.parse(head.toString('utf8')) as { format: string; salt: string };
    if (format !== MAGIC) throw new Error('another format');
    salt = Buffer.from(text, 'base64');
  } catch {
    throw new SealError('This is no backup of Gate Lantern.');
  }
  const key = await keyOf(passphrase, salt);
  const about = createHash('sha256').update(head).digest();
  const rest = start.subarray(end + 1);
  const after = async function* (): AsyncGenerator<Uint8Array> {
    yield rest;
    for (let next = await source.next(); !next.done; next = await source.next()) yield next.value;
  };
  let n = 0;
  for await (const [sealed, last] of chunks(after(), CHUNK + TAG)) {
    if (sealed.length < TAG) throw wrong();
    const decipher = createDecipheriv('aes-256-gcm', key, nonce(n++, last)).setAAD(about);
    decipher.setAuthTag(sealed.subarray(-TAG));
    let plain: Buffer;
    try {
      plain = Buffer.concat([decipher.update(sealed.subarray(0, -TAG)), decipher.final()]);
    } catch {
      throw wrong();
    }
    yield plain;
  }
}
