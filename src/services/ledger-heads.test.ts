import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { LedgerEntry } from '../formats/ledger.ts';
import { readHead, readHeads } from '../formats/ledger-head.ts';
import type { OpenDb } from '../store/db.ts';
import { ownDb } from '../../tests/own-db.ts';
import { Ledger } from './ledger.ts';
import { LedgerHeads } from './ledger-heads.ts';
import { Secrets } from './secrets.ts';
import { SigningKey } from './signing-key.ts';

const home = mkdtempSync(join(tmpdir(), 'gl-heads-'));
afterAll(() => rmSync(home, { recursive: true, force: true }));
const file = join(home, 'ledger-heads.jws');

describe('signed heads of the ledger', () => {
  let db: OpenDb;
  let ledger: Ledger;
  let key: SigningKey;
  const clock = (): Date => new Date('2026-03-01T08:00:00Z');
  const heads = (publishTo?: string): LedgerHeads => new LedgerHeads(db, ledger, key, file, publishTo, clock);
  const deed = (n: number) => ledger.add({ who: 'a', what: 'thing.done', subject: `thing ${n}` });
  ownDb((own) => void (db = own));
  beforeAll(async () => {
    ledger = new Ledger(db, clock);
    key = new SigningKey(db, new Secrets(home));
    expect(await heads().sign()).toBeUndefined();
    for (let n = 1; n <= 5; n++) await deed(n);
    await heads().sign();
    for (let n = 6; n <= 9; n++) await deed(n);
    await heads().sign();
  });

  it('are of the entries they name, by this installation’s key, and the chain agrees with them', async () => {
    const { thumbprint } = await key.public();
    const { heads: kept, bad } = await readHeads(readFileSync(file, 'utf8'), thumbprint);
    expect([kept.map((h) => h.seq), bad]).toEqual([[5, 9], []]);
    expect(await heads().check()).toMatchObject({ holds: true, entries: 9, heads: 2 });
    // nothing was done since: nothing is signed again
    const again = heads();
    await again.sign();
    const lines = readFileSync(file, 'utf8').trim().split('\n').length;
    await again.sign();
    expect(readFileSync(file, 'utf8').trim().split('\n')).toHaveLength(lines);
  });

  it('show an end that was cut off, an empty ledger, and one that was made anew', async () => {
    const all = await db.query<LedgerEntry>('select * from ledger order by seq');
    const back = async (): Promise<void> => {
      await db.query('delete from ledger');
      for (const e of all)
        await db.query(
          'insert into ledger (seq, at, who, what, subject, before, after, previous, hash) values ($1, $2, $3, $4, $5, null, null, $6, $7)',
          [e.seq, e.at, e.who, e.what, e.subject, e.previous, e.hash],
        );
    };
    await db.query('delete from ledger where seq > 7');
    // the chain alone sees nothing
    expect(await ledger.check()).toMatchObject({ holds: true });
    expect(await heads().check()).toMatchObject({ holds: false, seq: 8 });
    await db.query('delete from ledger');
    expect(await ledger.check()).toMatchObject({ holds: true, entries: 0 });
    expect(await heads().check()).toMatchObject({ holds: false, seq: 1 });
    for (let n = 1; n <= 12; n++) await ledger.add({ who: 'b', what: 'other.done', subject: `thing ${n}` });
    expect(await ledger.check()).toMatchObject({ holds: true, entries: 12 });
    expect(await heads().check()).toMatchObject({ holds: false, seq: 5 });
    await back();
    expect(await heads().check()).toMatchObject({ holds: true });
  });

  it('that were altered, or signed by another key, are not taken', async () => {
    const text = readFileSync(file, 'utf8');
    const [first] = text.split('\n') as [string];
    const [head, payload, signature] = first.split('.') as [string, string, string];
    const forged = JSON.parse(Buffer.from(payload, 'base64url').toString()) as object;
    const altered = Buffer.from(JSON.stringify({ ...forged, seq: 4 })).toString('base64url');
    expect(await readHead([head, altered, signature].join('.'))).toBeUndefined();
    expect((await readHeads(text, 'another key')).bad.length).toBeGreaterThan(1);
    writeFileSync(file, `${[head, altered, signature].join('.')}\n${text}`);
    expect(await heads().check()).toMatchObject({
      holds: false,
      reason: expect.stringMatching(/line 1/) as string,
    });
    writeFileSync(file, text);
  });

  it('are published to a file or an address that is set, and a place that fails loses none', async () => {
    const elsewhere = join(home, 'elsewhere.jws');
    await deed(10);
    await heads(elsewhere).sign();
    expect((await readHead(readFileSync(elsewhere, 'utf8')))?.seq).toBe(10);
    const taken: string[] = [];
    let status = 200;
    const server = createServer((req, res) => {
      let body = '';
      req.on('data', (d: Buffer) => (body += d.toString()));
      req.on('end', () => {
        taken.push(body);
        res.writeHead(status).end();
      });
    });
    await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
    const to = heads(`http://127.0.0.1:${(server.address() as AddressInfo).port}/heads`);
    await deed(11);
    await to.sign();
    expect((await readHead(taken[0]!))?.seq).toBe(11);
    status = 500;
    await deed(12);
    await expect(to.sign()).rejects.toThrow('answered 500');
    server.close();
    expect(await heads().check()).toMatchObject({ holds: true, entries: 12 });
    expect((await readHead(readFileSync(file, 'utf8').trim().split('\n').at(-1)!))?.seq).toBe(12);
  });
});
