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
});
