import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { randomBytes } from 'node:crypto';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import type { OpenDb } from '../store/db.ts';
import { ownDb } from '../../tests/own-db.ts';
import { Secrets } from './secrets.ts';

const home = mkdtempSync(join(tmpdir(), 'gl-secrets-'));
afterAll(() => rmSync(home, { recursive: true, force: true }));
const newKey = (): string => randomBytes(32).toString('base64');
let n = 0;
const directory = (): string => mkdtempSync(join(home, `d${n++}-`));

describe('the key', () => {
  let db: OpenDb;
  ownDb((own) => void (db = own));

  it('is made in the data directory, for its user alone, where none is given', () => {
    const dir = directory();
    const sealed = new Secrets(dir, {}).seal('a token');
    expect(statSync(join(dir, 'secret.key')).mode & 0o777).toBe(0o600);
    expect(new Secrets(dir, {}).open(sealed)).toBe('a token');
  });

  it('is kept elsewhere where it is given, and nothing of it is in the data directory', () => {
    const [dir, file] = [directory(), join(directory(), 'key')];
    writeFileSync(file, newKey());
    const sealed = new Secrets(dir, { GATE_LANTERN_KEY_FILE: file }).seal('a token');
    expect(existsSync(join(dir, 'secret.key'))).toBe(false);
    expect(new Secrets(dir, { GATE_LANTERN_KEY: readFileSync(file, 'utf8') }).open(sealed)).toBe('a token');
  });

  it('may move out of the data directory, as itself alone', () => {
    const dir = directory();
    const sealed = new Secrets(dir, {}).seal('a token');
    const key = readFileSync(join(dir, 'secret.key'), 'utf8');
    expect(() => new Secrets(dir, { GATE_LANTERN_KEY: newKey() })).toThrow('is not the one in');
    expect(new Secrets(dir, { GATE_LANTERN_KEY: key }).open(sealed)).toBe('a token');
    rmSync(join(dir, 'secret.key'));
    expect(new Secrets(dir, { GATE_LANTERN_KEY: key }).open(sealed)).toBe('a token');
  });

  it('that is none is refused with what to do', () => {
    for (const bad of ['', 'short', Buffer.alloc(31).toString('base64')])
      expect(() => new Secrets(directory(), { GATE_LANTERN_KEY: bad }), bad).toThrow('32 bytes');
    expect(() => new Secrets(directory(), { GATE_LANTERN_KEY_FILE: join(home, 'nowhere') })).toThrow();
  });

  it('of another installation is told apart before anything is opened with it', async () => {
    const [dir, key] = [directory(), newKey()];
    await new Secrets(dir, { GATE_LANTERN_KEY: key }).check(db);
    await new Secrets(dir, { GATE_LANTERN_KEY: key }).check(db);
    await expect(new Secrets(dir, { GATE_LANTERN_KEY: newKey() }).check(db)).rejects.toThrow('made with');
  });

  it('opens what it sealed, never the same twice, and nothing that was altered', () => {
    const secrets = new Secrets(directory(), { GATE_LANTERN_KEY: newKey() });
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), fc.nat(), (text, at) => {
        const sealed = secrets.seal(text);
        expect(secrets.open(sealed)).toBe(text);
        expect(secrets.seal(text)).not.toBe(sealed);
        const bytes = Buffer.from(sealed, 'base64');
        bytes[at % bytes.length]! ^= 1;
        expect(() => secrets.open(bytes.toString('base64'))).toThrow();
      }),
    );
    // a key for one purpose is none for another (RFC 5869: the info parameter)
    expect(secrets.keyFor('values').equals(secrets.keyFor('tokens'))).toBe(false);
  });

  it('is changed with everything that is sealed: nothing opens with the old one any more, and all with the new', async () => {
    const dir = directory();
    const old = new Secrets(dir, {});
    await db.query('delete from setting');
    await old.check(db);
    const seal = (text: string): string => old.seal(text);
    await db.query(
      "insert into account (name, address, role, created_at, totp) values ('a', 'a@x.example', 'steward', now(), $1)",
      [seal('seed')],
    );
    await db.query(
      "insert into source (id, kind, name, url, token, created_at) values ('s', 'drives', 's', 'https://x.example', $1, now())",
      [seal('source token')],
    );
    await db.query(
      "insert into custom_type (id, doc, active, changed_at, changed_by, cases) values ('t', '{}', true, now(), 'a', $1)",
      [seal('[]')],
    );
    const settings: [string, unknown][] = [
      ['evidence-key', seal('pem')],
      ['sso', { settings: {}, secret: seal('client secret') }],
      ['certainty', { usual: 55, own: {} }],
    ];
    for (const [name, value] of settings)
      await db.query('insert into setting (name, value) values ($1, $2::jsonb)', [
        name,
        JSON.stringify(value),
      ]);
    const values = (await old.valuesKey(db)).toString('hex');
    // every text that stands anywhere in the store
    const texts = async (): Promise<string[]> => {
      const tables = await db.query<{ t: string }>(
        "select tablename as t from pg_tables where schemaname = 'public'",
      );
      const found: string[] = [];
      const look = (v: unknown): void => {
        if (typeof v === 'string') found.push(v);
        else if (v instanceof Object) Object.values(v).forEach(look);
      };
      for (const { t } of tables) look(await db.query(`select * from "${t}"`));
      return found;
    };
    const openedBy = async (secrets: Secrets): Promise<string[]> =>
      (await texts()).flatMap((t) => {
        try {
          return [secrets.open(t)];
        } catch {
          return [];
        }
      });
    const before = await openedBy(old);
    expect(before).toHaveLength(6);
    const key = randomBytes(32);
    const { sealed } = await old.rotate(db, key);
    const next = new Secrets(key);
    expect(sealed).toBe(7);
    expect(await openedBy(old)).toEqual([]);
    expect((await openedBy(next)).sort()).toEqual(
      [...before, (await next.valuesKey(db)).toString('base64')].sort(),
    );
    // hashes of values that were kept still compare
    expect((await next.valuesKey(db)).toString('hex')).toBe(values);
    await next.check(db);
    await expect(old.check(db)).rejects.toThrow('made with');
    // broken off between the store and the file: the key that was to come is found and taken into use
    writeFileSync(join(dir, 'secret.key.next'), key.toString('base64'));
    const again = new Secrets(dir, {});
    await again.check(db);
    expect(again.open(next.seal('x'))).toBe('x');
    expect(readFileSync(join(dir, 'secret.key'), 'utf8')).toBe(key.toString('base64'));
    expect(existsSync(join(dir, 'secret.key.next'))).toBe(false);
  });
});
