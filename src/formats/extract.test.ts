import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crc32, deflateRawSync, gzipSync } from 'node:zlib';
import { parse } from '@marcbachmann/cel-js';
import fc from 'fast-check';
import { strToU8, zipSync } from 'fflate';
import { afterAll, describe, expect, it } from 'vitest';
import { placeOf, readExtract } from './extract.ts';
import { membersByRule } from './group-rules.ts';
import { linesOf } from './lines.ts';

const home = mkdtempSync(join(tmpdir(), 'gl-extract-'));
afterAll(() => rmSync(home, { recursive: true, force: true }));

const MANIFEST = {
  format: 'gate-lantern-extract',
  version: 1,
  takenAt: '2026-01-01T00:00:00Z',
  organisation: { name: 'O', domains: ['o.example'], partnerDomains: [] },
  workspaces: [{ id: 'w', name: 'W', inheritance: 'additive' }],
};
const ITEMS = Array.from({ length: 3000 }, (_, i) => ({
  id: `i${i}`,
  space: 's',
  kind: 'file',
  name: `n${i}`,
  unknown: { field: i },
}));
const jsonl = (rows: unknown[]) => rows.map((r) => JSON.stringify(r) + '\n').join('');
let n = 0;
function directoryOf(files: Record<string, string | Uint8Array>): string {
  const dir = join(home, `d${n++}`);
  mkdirSync(dir);
  for (const [name, content] of Object.entries(files)) writeFileSync(join(dir, name), content);
  return dir;
}
async function read(path: string) {
  const rows: Record<string, { id: string }[]> = {};
  const report = await readExtract(path, { row: (kind, row) => void (rows[kind] ??= []).push(row) });
  return { rows, report };
}

describe('an extract', () => {
  const files = {
    'manifest.json': JSON.stringify(MANIFEST),
    'items.jsonl': jsonl(ITEMS),
    'users.jsonl': jsonl([{ id: 'u', userName: 'U@O.example' }]),
  };

  it('reads the same as a directory, gzipped, and as a zip with or without a folder', async () => {
    const plain = await read(directoryOf(files));
    expect(plain.report.rows).toEqual({ workspaces: 1, items: 3000, users: 1 });
    const gzipped = await read(
      directoryOf({
        ...files,
        'items.jsonl': '',
        'users.jsonl.gz': gzipSync(files['users.jsonl']),
        'grants.jsonl.gz': gzipSync(''),
      }).replace(/$/, ''),
    );
    expect(gzipped.rows.person).toEqual(plain.rows.person);
    for (const prefix of ['', 'extract/']) {
      const zip = join(home, `z${n++}.zip`);
      writeFileSync(
        zip,
        zipSync({
          [`${prefix}items.jsonl.gz`]: new Uint8Array(gzipSync(files['items.jsonl'])),
          [`${prefix}users.jsonl`]: strToU8(files['users.jsonl']),
          [`${prefix}manifest.json`]: strToU8(files['manifest.json']),
        }),
      );
      const zipped = await read(zip);
      expect(zipped.rows.item).toEqual(plain.rows.item);
      expect(zipped.rows.person).toEqual(plain.rows.person);
    }
  });

  it('rejects bad lines with file, line and reason, and loads the rest', async () => {
    const bad = [
      'not json',
      '[1]',
      '{"id":"x"}',
      '{"id":"y","space":"s","kind":"file","name":7}',
      JSON.stringify(ITEMS[0]),
      '',
      '{"id":"z","space":"s","kind":"folder","name":"z","createdAt":"soon"}',
    ].join('\r\n');
    const { rows, report } = await read(directoryOf({ ...files, 'items.jsonl': bad }));
    expect(rows.item!.map((r) => r.id)).toEqual(['i0']);
    expect(report.rejected.first.map((r) => [r.line, r.reason.split(':')[0]])).toEqual([
      [1, 'it is not JSON'],
      [2, 'it is not an object'],
      [3, 'space'],
      [4, 'name'],
      [7, 'createdAt'],
    ]);
  });

  it('says plainly what is no extract', async () => {
    const notZip = join(home, 'x.txt');
    writeFileSync(notZip, 'hello');
    await expect(read(join(home, 'nowhere'))).rejects.toThrow(/is not there/);
    await expect(read(directoryOf({}))).rejects.toThrow(/no manifest\.json/);
    await expect(read(directoryOf({ 'manifest.json': '{"format":"other"}' }))).rejects.toThrow(
      /manifest\.json: format/,
    );
    await expect(read(notZip)).rejects.toThrow();
    await expect(
      read(directoryOf({ ...files, 'items.jsonl': '', 'links.jsonl.gz': 'not gzip' })),
    ).rejects.toThrow(/links\.jsonl\.gz is damaged/);
  });
});

/** A zip with each part as it is told, right or wrong (APPNOTE.TXT §4.3). */
function zipWith(
  members: {
    name: string;
    data: Uint8Array | string;
    method?: number;
    flags?: number;
    mode?: number;
    /** What the list says of the size, where it lies. */
    size?: number;
  }[],
): Buffer {
  const list: Buffer[] = [];
  const parts: Buffer[] = [];
  let at = 0;
  for (const { name, data, method = 8, flags = 0, mode = 0o100644, size } of members) {
    const plain = Buffer.from(data as string);
    const packed = method === 8 ? deflateRawSync(plain) : plain;
    const both = Buffer.alloc(26);
    both.writeUInt16LE(20, 0);
    both.writeUInt16LE(flags, 2);
    both.writeUInt16LE(method, 4);
    both.writeUInt32LE(crc32(plain), 10);
    both.writeUInt32LE(packed.length, 14);
    both.writeUInt32LE(size ?? plain.length, 18);
    both.writeUInt16LE(name.length, 22);
    parts.push(Buffer.from('PK\x03\x04'), both, Buffer.from(name), packed);
    const tail = Buffer.alloc(14);
    tail.writeUInt32LE((mode << 16) >>> 0, 6);
    tail.writeUInt32LE(at, 10);
    list.push(Buffer.from('PK\x01\x02\x14\x03'), both, tail, Buffer.from(name));
    at += 30 + name.length + packed.length;
  }
  const end = Buffer.alloc(18);
  end.writeUInt16LE(members.length, 4);
  end.writeUInt16LE(members.length, 6);
  end.writeUInt32LE(Buffer.concat(list).length, 8);
  end.writeUInt32LE(at, 12);
  return Buffer.concat([...parts, ...list, Buffer.from('PK\x05\x06'), end]);
}
const written = (bytes: Uint8Array): string => {
  const path = join(home, `w${n++}.zip`);
  writeFileSync(path, bytes);
  return path;
};

describe('a damaged extract', () => {
  const manifest = { name: 'x/manifest.json', data: JSON.stringify(MANIFEST) };
  const items = { name: 'x/items.jsonl', data: jsonl(ITEMS.slice(0, 4)) };
  const users = { name: 'x/users.jsonl', data: jsonl([{ id: 'u', userName: 'u@o.example' }]) };

  /** What is read, or that it is refused. */
  const readOrRefused = async (path: string) => {
    try {
      const { rows, report } = await read(path);
      return JSON.stringify([rows, report]);
    } catch (e) {
      expect((e as Error).name).toBe('ExtractError');
      return 'refused';
    }
  };

  it('is refused, or reads the same, whichever byte of a zip is another', async () => {
    const packed = { name: 'x/groups.jsonl.gz', data: gzipSync(jsonl([{ id: 'g' }])), method: 0 };
    const whole = zipWith([manifest, items, { ...users, method: 0 }, packed]);
    const path = written(whole);
    const right = await readOrRefused(path);
    expect(right).toContain('"i3"');
    let refused = 0;
    for (let at = 0; at < whole.length; at++) {
      const bytes = Buffer.from(whole);
      bytes[at]! ^= 1 << (at % 8);
      writeFileSync(path, bytes);
      const got = await readOrRefused(path);
      if (got === 'refused') refused++;
      else expect(got, `byte ${at}`).toBe(right);
    }
    // what may be another without harm: times, versions, the permissions of files
    expect(refused / whole.length).toBeGreaterThan(0.75);
  }, 60_000);

  it('is refused where a zip ends early, wherever that is', async () => {
    const whole = zipWith([manifest, items, users]);
    const path = join(home, 'cut.zip');
    for (let length = 0; length < whole.length; length += 7) {
      writeFileSync(path, whole.subarray(0, length));
      expect(await readOrRefused(path), `after ${length} bytes`).toBe('refused');
    }
  });

  it('is refused, or reads the same, whichever byte of a .gz is another', async () => {
    const whole = gzipSync(items.data);
    const files = { 'manifest.json': manifest.data };
    const right = await readOrRefused(directoryOf({ ...files, 'items.jsonl.gz': whole }));
    for (let at = 0; at < whole.length; at++) {
      const bytes = Buffer.from(whole);
      bytes[at]! ^= 1 << (at % 8);
      const got = await readOrRefused(directoryOf({ ...files, 'items.jsonl.gz': bytes }));
      if (got !== 'refused') expect(got, `byte ${at}`).toBe(right);
    }
  });

  it('is refused with the reason, where a zip holds what is not read', async () => {
    for (const [member, reason] of [
      [{ ...items, method: 12 }, /items\.jsonl is packed by bzip2/],
      [{ ...items, method: 14 }, /packed by LZMA/],
      [{ ...items, method: 77 }, /packed by method 77/],
      [{ ...items, flags: 1 }, /items\.jsonl is encrypted/],
      [{ ...items, mode: 0o120777 }, /items\.jsonl is a symbolic link/],
      [{ ...items, mode: 0o020666 }, /items\.jsonl is no plain file/],
      [{ ...items, name: '../items.jsonl' }, /is not a zip that can be read: .*relative path/],
      [{ ...items, size: 5 }, /items\.jsonl is damaged in the zip: too many bytes/],
      [{ ...items, size: 5_000 }, /items\.jsonl is damaged in the zip: not enough bytes/],
      [{ ...items, size: 0x7fffffff }, /grows to more than 250 times/],
      [manifest, /holds x\/manifest\.json twice/],
      [{ ...manifest, name: 'y/manifest.json' }, /holds more than one extract: x\/, y\//],
    ] as const)
      await expect(read(written(zipWith([manifest, users, member])))).rejects.toThrow(reason);
    await expect(read('/dev/null')).rejects.toThrow(/neither a directory nor a zip/);
  });

  it('does not swell with a bomb, in a zip or as .gz', async () => {
    const zeros = new Uint8Array(64 << 20);
    const bomb = Array.from({ length: 5 }, (_, i) => ({ name: `${i}`, data: zeros }));
    await expect(read(written(zipWith([manifest, ...bomb])))).rejects.toThrow(/grows to more than 250 times/);
    const gz = gzipSync(Buffer.alloc(300 << 20));
    await expect(read(directoryOf({ 'manifest.json': manifest.data, 'items.jsonl.gz': gz }))).rejects.toThrow(
      /items\.jsonl\.gz grows to more than 250 times/,
    );
  }, 60_000);

  it('holds no links and no devices in a directory', async () => {
    const dir = directoryOf({ 'manifest.json': manifest.data });
    symlinkSync('/etc/passwd', join(dir, 'items.jsonl'));
    await expect(read(dir)).rejects.toThrow(/items\.jsonl is a symbolic link/);
    const real = directoryOf({ 'manifest.json': manifest.data });
    mkdirSync(join(real, 'files'));
    symlinkSync('/etc/passwd', join(real, 'files', 'i1'));
    await expect(read(real)).rejects.toThrow(/files\/i1 is a symbolic link/);
  });

  it('says which files were left, which lines, and which fields', async () => {
    const { report, rows } = await read(
      directoryOf({
        'manifest.json': manifest.data,
        'item.jsonl': '',
        'notes.txt': '',
        'users.jsonl': jsonl([
          { id: 'u', emails: [{ value: 'kari' }, { value: 'kari@o.example' }], nickName: 'K' },
        ]),
        'users.jsonl.gz': '',
        'items.jsonl': Buffer.concat([
          Buffer.from(jsonl(ITEMS.slice(0, 2)) + '{"id":"x","space":"s","name":"'),
          Buffer.from([0xff]),
          Buffer.from(`"}\n${jsonl([{ id: 'y', space: 's', createdAt: '2026-02-30T00:00:00Z' }])}`),
        ]),
        'grants.jsonl': jsonl([
          { id: 'g1', on: { item: 'i0', space: 's' }, to: { user: 'u' }, role: 'reader' },
          { id: 'g2', on: { item: 'i0' }, to: { user: 'u', group: 'g' }, role: 'reader' },
          { id: 'g3', on: {}, to: { user: 'u' }, role: 'reader' },
          { id: 'g4', on: { item: 'i0' }, to: { email: 'kari' }, role: 'reader' },
          { id: 'g5', on: { item: 'i0', space: null }, to: { user: 'u' }, role: 'reader' },
        ]),
      }),
    );
    const told = (c: typeof report.rejected) => c.first.map((x) => `${placeOf(x)}: ${x.reason}`);
    expect(told(report.rejected)).toEqual([
      'item.jsonl: not a file of an extract, so it is not read. Should it be named items.jsonl?',
      'notes.txt: not a file of an extract, so it is not read',
      'users.jsonl.gz: not read, because users.jsonl is there too',
      'items.jsonl, line 3: it is not UTF-8',
      'items.jsonl, line 4: createdAt: is not an RFC 3339 time',
      'grants.jsonl, line 1: on: names both space and item',
      'grants.jsonl, line 2: to: names both user and group',
      'grants.jsonl, line 3: on: names no space or item',
      'grants.jsonl, line 4: to.email: is not an e-mail address',
    ]);
    expect(told(report.remarks)).toEqual([
      'users.jsonl, line 1: emails: one is not an e-mail address; it is left out',
      'items.jsonl: 2 rows have a field “unknown”, which is not read',
    ]);
    expect(rows.grant).toEqual([{ id: 'g5', on: { item: 'i0' }, to: { user: 'u' }, role: 'reader' }]);
    expect(rows.item![0]).toEqual({ id: 'i0', space: 's', kind: 'file', name: 'n0' });
  });
});

describe('lines', () => {
  const collect = async (pieces: Uint8Array[], longest?: number) => {
    const all = [];
    for await (const lines of linesOf(pieces, longest)) all.push(...lines);
    return all;
  };

  it('are the same however the bytes are cut', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.string({ unit: 'grapheme' }).map((s) => s.replace(/[\r\n]/g, ' ')),
          { maxLength: 12 },
        ),
        fc.integer({ min: 1, max: 9 }),
        async (texts, size) => {
          const bytes = new TextEncoder().encode(texts.join('\n'));
          const pieces = Array.from({ length: Math.ceil(bytes.length / size) }, (_, i) =>
            bytes.subarray(i * size, (i + 1) * size),
          );
          const expected = texts.flatMap((text, i) =>
            text === '' ? [] : [{ number: i + 1, text: text.toWellFormed() }],
          );
          expect((await collect(pieces)).map((l) => (l.text?.charCodeAt(0) === 0xfeff ? l : l))).toEqual(
            expected
              .map((l, i) => (i === 0 && l.number === 1 ? { ...l, text: l.text.replace(/^\ufeff/, '') } : l))
              .filter((l) => l.text !== ''),
          );
        },
      ),
    );
  });

  it('longer than the limit are passed over and counted, the next ones read', async () => {
    const huge = new Uint8Array(1 << 20).fill(65);
    const pieces = [
      new TextEncoder().encode('a\n'),
      ...Array.from({ length: 50 }, () => huge),
      new TextEncoder().encode('\nb\n'),
    ];
    expect((await collect(pieces, 1 << 21)).map((l) => [l.number, l.text])).toEqual([
      [1, 'a'],
      [2, undefined],
      [3, 'b'],
    ]);
  });
});

describe('groups by rule', () => {
  it('take in whom the CEL expression holds for; a missing attribute is no', () => {
    const enterprise = 'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User';
    const users = [
      { id: 'a', active: true, [enterprise]: { department: 'Crew' } },
      { id: 'b', active: true },
      { id: 'c', active: false, [enterprise]: { department: 'Crew' } },
    ];
    expect(membersByRule(`user["${enterprise}"].department == "Crew"`, users)).toEqual(['a', 'c']);
    expect(membersByRule('user.active', users)).toEqual(['a', 'b']);
    expect(() => membersByRule('user.(', users)).toThrow();
  });

  it('hold for whom the CEL library says they hold, patterns too', () => {
    const user = fc.record(
      {
        id: fc.constant('u'),
        active: fc.boolean(),
        title: fc.constantFrom('Mate', 'First mate', 'Cook', 'matches("x")'),
        emails: fc.array(
          fc.record({ value: fc.constantFrom('a@x.example', 'b@y.example'), primary: fc.boolean() }),
          { maxLength: 3 },
        ),
      },
      { requiredKeys: ['id'] },
    );
    const rules = [
      'user.active && user.title.matches("^(First )?[Mm]ate$")',
      'user.emails.exists(e, e.primary && e.value.endsWith("@x.example")) || has(user.title)',
      'user.emails.all(e, e.value.matches("@[xy][.]example$"))',
      'user.emails.map(e, e.value).exists(v, v == "b@y.example")',
      'size(user.emails.filter(e, e.primary)) == 1 ? user.active : user.title in ["Cook", "Mate"]',
      String.raw`user.title.matches("^matches\\(\"x")`,
    ];
    fc.assert(
      fc.property(fc.constantFrom(...rules), fc.array(user, { maxLength: 4 }), (rule, users) => {
        const reference = parse(rule);
        const holds = users.filter((u) => {
          try {
            return reference({ user: u }) === true;
          } catch {
            return false;
          }
        });
        expect(membersByRule(rule, users)).toHaveLength(holds.length);
      }),
    );
  });

  it('that would take too long are not begun, whatever the rule and the users', () => {
    const text = `${'a'.repeat(5000)}!`;
    const users = Array.from({ length: 50 }, (_, i) => ({
      id: `u${i}`,
      displayName: text,
      tags: Array.from({ length: 300 }, (_, k) => `t${k}`),
      pattern: '(\\pL{1,900}){1}\\d',
    }));
    // what backtracks elsewhere is only slow where a text is long
    expect(membersByRule('user.displayName.matches("^(([a-z]+)+)+$")', users)).toEqual([]);
    const deep = [0, 1, 2].reduceRight((f, i) => `user.tags.exists(x${i}, ${f})`, 'x0 + x1 == x2 + "!"');
    expect(() => membersByRule(deep, users)).toThrow('too long');
    expect(() => membersByRule('user.displayName.matches(user.pattern)', users)).toThrow('too long');
    expect(() => membersByRule(`true || ${'user.active || '.repeat(400)}true`, users)).toThrow('characters');
    // a pattern of each user's own, every one of which has to be made ready
    const own = Array.from({ length: 1000 }, (_, i) => ({
      id: `u${i}`,
      title: 'Mate',
      pattern: `a{900}b{${i + 1}}`,
    }));
    expect(() => membersByRule('user.title.matches(user.pattern)', own)).toThrow('too long');
  });
});

describe('text, activity and people in other formats', () => {
  const base = {
    'manifest.json': JSON.stringify(MANIFEST),
    'items.jsonl': jsonl([{ id: 'i1', space: 's', kind: 'file', name: 'a' }]),
  };
  const everything = async (path: string) => {
    const texts: [string, string | undefined, string][] = [];
    const deeds: unknown[] = [];
    const rows: Record<string, unknown[]> = {};
    const report = await readExtract(path, {
      row: (kind, row) => void (rows[kind] ??= []).push(row),
      text: (...t) => void texts.push(t),
      deed: (d) => void deeds.push(d),
    });
    return { texts, deeds, rows, report };
  };
  const withFiles = (files: Record<string, string>, real: Record<string, string>): string => {
    const dir = directoryOf(files);
    mkdirSync(join(dir, 'files'));
    for (const [name, text] of Object.entries(real)) writeFileSync(join(dir, 'files', name), text);
    return dir;
  };

  it('come from content.jsonl, from real files named by item, and as CloudEvents', async () => {
    const event = {
      specversion: '1.0',
      id: 'e1',
      source: '/w',
      type: 'org.gatelantern.item.edited',
      subject: 'i1',
      time: '2026-01-02T03:04:05Z',
      data: { email: 'A@B.test' },
    };
    const files = {
      ...base,
      'content.jsonl': jsonl([
        { item: 'i1', part: 'comment', text: 'hello' },
        { item: 'i1', part: 'nowhere', text: '' },
      ]),
      'activity.jsonl': jsonl([
        event,
        { ...event, type: 'something.else' },
        { ...event, specversion: '0.3' },
      ]),
    };
    const real = { 'a%2Fb': 'inside', i2: 'zweite Datei' };
    const found = await everything(withFiles(files, real));
    const joined = (item: string) =>
      found.texts
        .filter((t) => t[0] === item)
        .map((t) => t[2])
        .join('');
    expect(joined('i1')).toBe('hello');
    expect(joined('a/b')).toBe('inside');
    expect(joined('i2')).toBe('zweite Datei');
    expect(found.deeds).toEqual([
      { item: 'i1', actor: 'a@b.test', opened: null, edited: Date.parse('2026-01-02T03:04:05Z') },
    ]);
    expect(found.report.rejected.first.map((r) => `${r.file}:${r.line}`).sort()).toEqual([
      'activity.jsonl:3',
      'content.jsonl:2',
    ]);
    const zip = join(home, 'with-files.zip');
    writeFileSync(
      zip,
      zipSync(
        Object.fromEntries([
          ...Object.entries(files).map(([k, v]) => [`x/${k}`, strToU8(v)]),
          ...Object.entries(real).map(([k, v]) => [`x/files/${k}`, strToU8(v)]),
        ]) as Record<string, Uint8Array>,
      ),
    );
    const zipped = await everything(zip);
    expect(zipped.deeds).toEqual(found.deeds);
    expect(zipped.texts.map((t) => t[0] + t[2]).sort()).toEqual(found.texts.map((t) => t[0] + t[2]).sort());
  });

  it('read users and groups the same from JSON Lines, a ListResponse (RFC 7644 §3.4.2) and CSV (RFC 4180)', async () => {
    const users = [
      {
        id: 'u1',
        userName: 'kari',
        displayName: 'Kari, "the mate"',
        active: true,
        title: 'Mate',
        emails: [{ value: 'kari@o.example' }, { value: 'k2@o.example' }],
      },
      {
        id: 'u2',
        displayName: 'Ola\nNordvik',
        active: false,
        emails: [],
        'urn:gatelantern:scim:1.0:Identity': { kind: 'guest' },
      },
    ];
    const groups = [
      {
        id: 'g1',
        displayName: 'Deck',
        members: [
          { value: 'u1', type: 'User' },
          { value: 'g2', type: 'Group' },
        ],
      },
      { id: 'g2', displayName: 'Empty', members: [] },
    ];
    const lines = await everything(
      directoryOf({ ...base, 'users.jsonl': jsonl(users), 'groups.jsonl': jsonl(groups) }),
    );
    const list = (Resources: unknown[]) =>
      JSON.stringify({
        schemas: ['urn:ietf:params:scim:api:messages:2.0:ListResponse'],
        totalResults: Resources.length,
        Resources,
      });
    const responses = await everything(
      directoryOf({ ...base, 'users.json': list(users), 'groups.json': list(groups) }),
    );
    const csv = await everything(
      directoryOf({
        ...base,
        'columns.json': JSON.stringify({
          users: { id: 'Employee no', displayName: 'Full name', emails: 'Mail' },
        }),
        'users.csv':
          '\uFEFFEmployee no,userName,Full name,active,title,Mail,kind\r\nu1,kari,"Kari, ""the mate""",yes,Mate,kari@o.example; k2@o.example,\r\nu2,,"Ola\nNordvik",no,,,guest\r\nshort,row\r\n',
        'groups.csv':
          'id,displayName,member,memberType\ng1,Deck,u1,User\ng2,Empty,,\ng1,,g2,Group\n,nameless,u1,User\n',
      }),
    );
    expect(responses.rows.person).toEqual(lines.rows.person);
    expect(responses.rows.group).toEqual(lines.rows.group);
    expect(csv.rows.person).toEqual(lines.rows.person);
    expect(csv.rows.group).toEqual(lines.rows.group);
    expect(csv.report.rejected.first.map((r) => [r.file, r.reason])).toEqual([
      ['users.csv', 'it has 2 cells and the header 7'],
      ['groups.csv', 'id: is missing'],
    ]);
    const latin = Buffer.from('id,displayName\nu1,Gr\u00f8n\nu2,Bl\u00e5\n', 'latin1');
    const other = await everything(
      directoryOf({ ...base, 'users.csv': latin, 'groups.json': Buffer.from('[{"id":"\u00f8"}]', 'latin1') }),
    );
    expect(other.report.rejected.first.map((r) => [placeOf(r), r.reason])).toEqual([
      ['users.csv, line 2', 'it is not UTF-8'],
      ['users.csv, line 3', 'it is not UTF-8'],
      ['groups.json, line 1', 'it is not UTF-8'],
    ]);
    const broken = await everything(directoryOf({ ...base, 'users.json': '{"a":1}', 'groups.json': 'x' }));
    expect(broken.report.rejected.first.map((r) => r.reason)).toEqual([
      'it is no ListResponse: Resources is missing',
      'it is not JSON',
    ]);
  });

  it('are taken without what people alone need: names, kinds, null for absent', async () => {
    const { rows, report } = await everything(
      directoryOf({
        ...base,
        'spaces.jsonl': jsonl([{ id: 's', workspace: 'w', gate: null, visibility: null }]),
        'items.jsonl': jsonl([{ id: 'i', space: 's', parent: null, owner: null, inherits: null }]),
      }),
    );
    expect(report.rejected.count).toBe(0);
    expect(rows.space).toEqual([{ id: 's', workspace: 'w', name: 's', kind: 'site' }]);
    expect(rows.item).toEqual([{ id: 'i', space: 's', name: 'i', kind: 'file' }]);
  });
});
