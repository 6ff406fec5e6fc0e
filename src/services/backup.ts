/**
 * A backup: everything that an installation keeps, as it is at one moment, sealed with a passphrase; and a new
 * installation made of one. It holds the key too, where that is kept in the data directory.
 */
import {
  createReadStream,
  existsSync,
  mkdirSync,
  readdirSync,
  rmSync,
  statSync,
  writeFileSync,
  appendFileSync,
} from 'node:fs';
import { dirname, join, relative, resolve, sep } from 'node:path';
import { createGunzip, createGzip } from 'node:zlib';
import { pipeline, Readable } from 'node:stream';
import { pipeline as piped } from 'node:stream/promises';
import { ChainCheck, type LedgerEntry, type LedgerHead } from '../formats/ledger.ts';
import { seal, unseal } from '../formats/sealed-stream.ts';
import { openDb, storeOf, type Db } from '../store/db.ts';
import { dumpTables, restoreTables, schemaOf, type Counted, type Piece } from '../store/dump.ts';
import type { Ledger } from './ledger.ts';

const FORMAT = 'gate-lantern-backup';
const VERSION = 1;
/** What of a data directory is in a backup, beside the store. */
const FILES = ['secret.key', 'ledger-heads.jws', 'extracts'];

/** What a backup says at its end: what it holds. */
interface End {
  tables: Counted;
  files: number;
  ledger: LedgerHead | null;
  /** The key that opens what is sealed in it is not among its files. */
  keyElsewhere: boolean;
}

/** A frame: its kind in one byte, its length in four, then what it holds. H head, T table, R rows, F file, C piece of it, E end. */
type Kind = 'H' | 'T' | 'R' | 'F' | 'C' | 'E';
function frame(kind: Kind, data: Uint8Array | object): Uint8Array {
  const bytes = data instanceof Uint8Array ? data : Buffer.from(JSON.stringify(data));
  const head = Buffer.alloc(5, kind);
  head.writeUInt32BE(bytes.length, 1);
  return Buffer.concat([head, bytes]);
}
const LONGEST_FRAME = 2 ** 30;

async function* frames(pieces: AsyncIterable<Uint8Array>): AsyncGenerator<{ kind: Kind; bytes: Buffer }> {
  let list: Uint8Array[] = [];
  let length = 0;
  const take = (n: number): Buffer => {
    const joined = Buffer.concat(list);
    list = [joined.subarray(n)];
    length = joined.length - n;
    return joined.subarray(0, n);
  };
  let head: Buffer | undefined;
  for await (const piece of pieces) {
    list.push(piece);
    length += piece.length;
    for (;;) {
      if (!head && length >= 5) head = take(5);
      if (!head) break;
      const size = head.readUInt32BE(1);
      if (size > LONGEST_FRAME) throw new Error('The backup is damaged.');
      if (length < size) break;
      yield { kind: String.fromCharCode(head[0]!) as Kind, bytes: take(size) };
      head = undefined;
    }
  }
  if (head || length) throw new Error('The backup ends in the middle.');
}

function filesIn(directory: string): string[] {
  const found: string[] = [];
  const look = (path: string): void => {
    if (!existsSync(path)) return;
    if (statSync(path).isDirectory()) for (const name of readdirSync(path)) look(join(path, name));
    else found.push(relative(directory, path).split(sep).join('/'));
  };
  for (const name of FILES) look(join(directory, name));
  return found;
}

async function* plain(directory: string, tx: Db, at: string): AsyncGenerator<Uint8Array> {
  const tables: Counted = {};
  const files = filesIn(directory);
  yield frame('H', { format: FORMAT, version: VERSION, at, schema: await schemaOf(tx) });
  for await (const piece of dumpTables(tx, tables))
    yield 'table' in piece ? frame('T', piece) : frame('R', piece.rows);
  const [last] = await tx.query<LedgerHead>('select seq, hash, at from ledger order by seq desc limit 1');
  for (const path of files) {
    yield frame('F', { path });
    for await (const piece of createReadStream(join(directory, path))) yield frame('C', piece as Buffer);
  }
  const end: End = {
    tables,
    files: files.length,
    ledger: last ?? null,
    keyElsewhere: !files.includes('secret.key'),
  };
  yield frame('E', end);
}

/** The backup of a running installation, sealed. While it is made, whoever wants to write waits. */
export async function* backup(
  directory: string,
  db: Db,
  ledger: Ledger,
  passphrase: string,
  clock: () => Date,
): AsyncGenerator<Uint8Array> {
  const at = clock().toISOString();
  await ledger.add({ who: 'operator', what: 'backup.made', subject: 'backup' });
  // the stream holds the transaction up where whoever reads is slow
  const out = createGzip({ level: 1 });
  const work = db
    .snapshot((tx) => piped(Readable.from(plain(directory, tx, at)), out))
    .catch((e: unknown) => void out.destroy(e as Error));
  try {
    yield* seal(out, passphrase);
  } finally {
    out.destroy();
    await work;
  }
}

export interface Restored {
  tables: number;
  rows: number;
  files: number;
  ledger: { holds: boolean; entries: number; last: string };
  /** The key has to be given as it was: GATE_LANTERN_KEY or GATE_LANTERN_KEY_FILE. */
  keyElsewhere: boolean;
}

/** Makes a data directory of a backup; nothing is left where it does not hold. Throws a sentence. */
export async function restore(
  pieces: AsyncIterable<Uint8Array>,
  directory: string,
  passphrase: string,
): Promise<Restored> {
  if (existsSync(directory) && readdirSync(directory).length)
    throw new Error(`${directory} is not empty. Name a directory that is new.`);
  mkdirSync(directory, { recursive: true, mode: 0o700 });
  try {
    return await restoreInto(pieces, directory, passphrase);
  } catch (e) {
    for (const name of readdirSync(directory))
      rmSync(join(directory, name), { recursive: true, force: true });
    throw e;
  }
}

async function restoreInto(
  pieces: AsyncIterable<Uint8Array>,
  directory: string,
  passphrase: string,
): Promise<Restored> {
  const db = await openDb(storeOf(directory));
  try {
    if ((await db.query('select 1 from account limit 1')).length)
      throw new Error('There is an installation in this database already.');
    // asked before the transaction, which has the store to itself
    const own = await schemaOf(db);
    let end: End | undefined;
    let file: string | undefined;
    let files = 0;
    const tables = async function* (): AsyncGenerator<Piece> {
      let first = true;
      for await (const { kind, bytes } of frames(unzipped(unseal(pieces, passphrase)))) {
        if (first) {
          const { format, version, schema } = JSON.parse(bytes.toString()) as {
            format: string;
            version: number;
            schema: string[];
          };
          if (kind !== 'H' || format !== FORMAT) throw new Error('This is no backup of Gate Lantern.');
          if (version !== VERSION)
            throw new Error(`This backup is of version ${version}, which is not known here.`);
          if (JSON.stringify(schema) !== JSON.stringify(own))
            throw new Error(
              'The backup was made by another version of Gate Lantern. Restore it with that one; a newer one then brings it up to date when it starts.',
            );
          first = false;
        } else if (kind === 'T') yield JSON.parse(bytes.toString()) as { table: string; columns: string[] };
        else if (kind === 'R') yield { rows: bytes };
        else if (kind === 'F') {
          file = safePath(directory, (JSON.parse(bytes.toString()) as { path: string }).path);
          mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
          writeFileSync(file, '', { mode: 0o600, flag: 'wx' });
          files++;
        } else if (kind === 'C') appendFileSync(file!, bytes);
        else if (kind === 'E') end = JSON.parse(bytes.toString()) as End;
      }
    };
    const counted = await db.transaction(async (tx) => {
      const found = await restoreTables(tx, tables());
      if (!end) throw new Error('The backup ends in the middle.');
      for (const [name, { rows, sha256 }] of Object.entries(end.tables))
        if (found[name]?.rows !== rows || found[name].sha256 !== sha256)
          throw new Error(`Of ${name} other rows came in than were put into the backup.`);
      if (files !== end.files) throw new Error('Some files of the backup are missing.');
      return found;
    });
    const chain = new ChainCheck(end!.ledger ? [end!.ledger] : []);
    const rows = await db.query<LedgerEntry>('select * from ledger order by seq');
    for (const entry of rows) chain.add(entry);
    const result = chain.result();
    if (!result.holds) throw new Error(`The ledger in the backup does not hold: ${result.reason}.`);
    return {
      tables: Object.keys(counted).length,
      rows: Object.values(counted).reduce((n, t) => n + t.rows, 0),
      files,
      ledger: { holds: true, entries: result.entries, last: result.last },
      keyElsewhere: end!.keyElsewhere,
    };
  } finally {
    await db.close();
  }
}

/** Pieces unzipped, which fail as what feeds them does. */
function unzipped(pieces: AsyncIterable<Uint8Array>): AsyncIterable<Uint8Array> {
  return pipeline(Readable.from(pieces), createGunzip(), () => undefined);
}

/** A path of a backup within the data directory; throws where it leads out of it. */
function safePath(directory: string, path: string): string {
  const full = resolve(directory, path);
  if (!FILES.some((name) => full === join(directory, name) || full.startsWith(join(directory, name) + sep)))
    throw new Error(`The backup holds a file that does not belong in it: ${path}.`);
  return full;
}
