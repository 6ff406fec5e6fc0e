/** Recognition in the running application: real files, what was not read, types of one's own, certainty, marks. */
import { appendFileSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { zipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { cardNumber, dice, grouped } from '../../demo/make.ts';
import { Scanner } from '../../src/core/recognise/scan.ts';
import { atLeast } from '../../src/core/recognise/types.ts';
import { DATA_TYPES } from '../../src/core/recognise/types/index.ts';
import { scanFile } from '../../src/formats/scan.ts';
import type { BenchResult, PackRow, TypeDetail, TypeRow } from '../../src/dto/recognition.ts';
import type { ContentFile, ContentsPage, UnreadFile } from '../../src/dto/contents.ts';
import type { Dossier, FindingRow } from '../../src/dto/exposure.ts';
import { openBrowser, Scene, until } from './harness.ts';

const picture = grouped(cardNumber(dice(99)));
const hostile = `<img src=x onerror=alert(1)> =HYPERLINK("http://x.test").pdf`;
let extract = '';
let png: Uint8Array;

const scene = new Scene({
  prepare(directory) {
    extract = directory;
    const space = (
      JSON.parse(readFileSync(join(directory, 'spaces.jsonl'), 'utf8').split('\n')[0]!) as { id: string }
    ).id;
    const add = (id: string, name: string, mime: string, bytes: Uint8Array): void => {
      const row = {
        id,
        space,
        kind: 'file',
        name,
        mime,
        bytes: bytes.length,
        modifiedAt: '2026-01-01T00:00:00Z',
      };
      appendFileSync(join(directory, 'items.jsonl'), `${JSON.stringify(row)}\n`);
      writeFileSync(join(directory, 'files', id), bytes);
    };
    add('bad-bomb', 'swells.zip', 'application/zip', zipSync({ a: new Uint8Array(40 * 2 ** 20) }));
    add(
      'bad-pdf',
      hostile,
      'application/pdf',
      Buffer.from(`%PDF-1.7\n${'1 0 obj << /Kids [1 0 R] >> endobj '.repeat(20_000)}`),
    );
    add(
      'bad-bytes',
      'noise.dat',
      'application/octet-stream',
      Uint8Array.from({ length: 5000 }, (_, i) => (i * 7919) % 256),
    );
    add('a-picture', 'Till receipt.png', 'image/png', png);
  },
});
beforeAll(async () => {
  const browser = await openBrowser();
  const page = await browser.newPage({ viewport: { width: 700, height: 200 } });
  await page.setContent(`<body style="font: 28px sans-serif">Refund to payment card<p>${picture}</p></body>`);
  png = await page.screenshot();
  await browser.close();
  await scene.up();
});
afterAll(() => scene.down());

const ask = <T>(path: string, params: Record<string, string | number> = {}) =>
  scene.api<T>(
    'GET',
    `${path}?${new URLSearchParams(Object.entries(params).map(([k, v]) => [k, String(v)]))}`,
  );
const send = async <T>(method: string, path: string, body: Uint8Array | string): Promise<T> => {
  const r = await scene.raw(method, path, {
    role: 'steward',
    body,
    headers: { 'content-type': 'application/octet-stream' },
  });
  if (!r.ok) throw new Error(`${r.status} ${((await r.json()) as { detail: string }).detail}`);
  return (await r.json()) as T;
};

describe('what files hold', () => {
  it('is counted right: recounted from the files themselves, type by type', async () => {
    expect(await scene.survey()).toMatchObject({ state: 'done', failures: 0 });
    const items = readFileSync(join(extract, 'items.jsonl'), 'utf8')
      .split('\n')
      .filter(Boolean)
      .map((l) => JSON.parse(l) as { id: string; name: string; kind: string; mime?: string });
    const there = new Set(readdirSync(join(extract, 'files')));
    const wanted = new Map<string, { files: number; occurrences: number }>();
    const holding = new Set<string>();
    for (const item of items.filter((i) => i.kind === 'file')) {
      const scanner = new Scanner({ types: DATA_TYPES, hash: (t, v) => t + v });
      scanner.fileName(item.name);
      if (there.has(item.id) && !item.mime?.startsWith('image/'))
        await scanFile(
          scanner,
          (async function* () {
            yield await Promise.resolve(readFileSync(join(extract, 'files', item.id)));
          })(),
        );
      for (const f of scanner.finish()) {
        const { occurrences } = atLeast(f.levels, 55);
        if (!occurrences) continue;
        const sum = wanted.get(f.dataType) ?? { files: 0, occurrences: 0 };
        wanted.set(f.dataType, { files: sum.files + 1, occurrences: sum.occurrences + occurrences });
        holding.add(item.id);
      }
    }
    const page = await ask<ContentsPage>('/api/contents');
    expect(page.files).toBe(holding.size);
    expect(
      Object.fromEntries(page.rows.map((r) => [r.type, { files: r.files, occurrences: r.occurrences }])),
    ).toEqual(Object.fromEntries(wanted));
    for (const row of page.rows) {
      expect(row.tiers.reduce((a, b) => a + b, 0)).toBe(row.files);
      const { total } = await ask<{ total: number }>('/api/contents/files', { type: row.type, limit: 1 });
      expect(total).toBe(row.files);
    }
    const split = await ask<ContentsPage>('/api/contents', { byWorkspace: 'true' });
    for (const row of page.rows)
      expect(split.rows.filter((r) => r.type === row.type).reduce((n, r) => n + r.files, 0)).toBe(row.files);
  });

  it('names the place: a hidden sheet, the notes of a slide, what hangs on a message', async () => {
    const places: Record<string, RegExp> = {
      'Supplier accounts for the refit.xlsx': /^hidden sheet Accounts$/,
      'Deposit account for the new pier.pptx': /^speaker notes 1$/,
      'Disputes of August.eml': /^text\.docx$/,
    };
    const { rows } = await ask<{ rows: FindingRow[] }>('/api/findings', { limit: 200 });
    for (const [name, place] of Object.entries(places)) {
      const id = rows.find((r) => r.summary.name === name)!.id;
      const { dossier } = await ask<{ dossier: Dossier }>(`/api/findings/${id}`);
      const top = dossier.contents.find((c) => ['iban', 'payment-card'].includes(c.dataType))!;
      expect(top.matches[0]!.where).toMatch(place);
    }
  });

  it('says of hostile and unreadable files what was not read, and lives', async () => {
    const { rows } = await ask<{ rows: UnreadFile[] }>('/api/contents/unread');
    const reason = (item: string): string | undefined => rows.find((r) => r.item === item)?.reason;
    expect(reason('bad-bomb')).toContain('swells');
    expect(reason('bad-pdf')).toContain('damaged');
    expect(reason('bad-bytes')).toContain('no kind that is read');
    expect(rows.find((r) => r.item === 'bad-pdf')!.name).toBe(hostile);
  });

  it('is not read again where nothing has changed', async () => {
    const survey = await scene.survey();
    const step = survey.steps.find((s) => s.name === 'content')!;
    const kept = Number(step.note!.replace(/\D/g, ''));
    // what holds no text is looked at by its name, which is as quick as remembering it
    const readable = readFileSync(join(extract, 'items.jsonl'), 'utf8')
      .split('\n')
      .filter((l) => l && /"kind":"file"/.test(l) && !/"mime":"(?:image|video)/.test(l)).length;
    expect(kept).toBe(readable);
    expect(survey).toMatchObject({ added: 0, altered: 0, removed: 0 });
  });

  it('is taken up where a scan was broken off by a crash', async () => {
    // another recogniser: everything is to be scanned anew
    await send(
      'PUT',
      '/api/data-types/other',
      JSON.stringify({ name: 'Other', weight: 1, match: { words: ['gangway'] } }),
    );
    await scene.faults([{ kind: 'latency', amount: 15, path: '/content' }]);
    await scene.api('POST', '/api/surveys', { kind: 'full' });
    await until('a thousand files', async () => {
      const [row] = await scene.api<{ steps: { name: string; done: number }[] }[]>('GET', '/api/surveys');
      return (row?.steps.find((s) => s.name === 'content')?.done ?? 0) > 1200;
    });
    await scene.kill();
    await scene.faults([]);
    await scene.startApp();
    const survey = await scene.survey();
    const step = survey.steps.find((s) => s.name === 'content')!;
    const kept = Number(step.note!.replace(/\D/g, ''));
    expect(kept).toBeGreaterThanOrEqual(500);
    expect(kept).toBeLessThan(step.done);
    const { rows } = await ask<{ rows: ContentFile[] }>('/api/contents/files', { type: 'other', limit: 500 });
    expect(rows.length).toBeGreaterThan(20);
    await scene.api('DELETE', '/api/data-types/other');
  });
});

describe('a data type of one’s own', () => {
  const type = {
    name: 'Refund claim',
    weight: 2,
    match: { all: [{ type: 'payment-card', certainty: 55 }, { words: ['claim', 'dispute'] }] },
    context: ['bank'],
    cases: [
      { text: 'card 4539 1488 0343 6467, claim 20 EUR', matches: true },
      { text: 'claim 20 EUR', matches: false },
    ],
  };

  it('is refused with the reason where it cannot be run or its cases fail', async () => {
    const put = (more: object) => send('PUT', '/api/data-types/claim', JSON.stringify({ ...type, ...more }));
    await expect(put({ match: { pattern: '(a)\\1' } })).rejects.toThrow('refers back');
    const many = Array.from({ length: 2500 }, (_, i) => ({ pattern: `a{1000}b{1000}${i}` }));
    const parts = Array.from({ length: 50 }, (_, i) => ({ any: many.slice(i * 50, i * 50 + 50) }));
    await expect(put({ match: { any: parts } })).rejects.toThrow('more than 200 patterns');
    await expect(put({ match: { nothing: 1 } })).rejects.toThrow('A condition is one of');
    await expect(put({ cases: [{ text: 'claim', matches: true }] })).rejects.toThrow(
      'must match and does not',
    );
    await expect(send('PUT', '/api/data-types/iban', JSON.stringify(type))).rejects.toThrow('already');
    await expect(send('PUT', '/api/data-types/claim', 'not json')).rejects.toThrow('not JSON');
    const own = (await ask<{ rows: TypeRow[] }>('/api/data-types')).rows.filter((r) => r.custom);
    expect(own).toEqual([]);
  });

  it('is found by the next survey of what changed, and is on the ledger', async () => {
    await send('PUT', '/api/data-types/claim', JSON.stringify(type));
    expect(await scene.survey('incremental')).toMatchObject({ state: 'done', failures: 0 });
    const { rows } = await ask<{ rows: ContentFile[] }>('/api/contents/files', { type: 'claim' });
    expect(rows.map((r) => r.name)).toContain('Dispute evidence 1.docx');
    const { rows: ledger } = await ask<{ rows: { what: string; subject: string }[] }>('/api/ledger');
    expect(ledger.some((r) => r.what === 'data-type.made' && r.subject === 'claim')).toBe(true);
    // what it is tried on is made of real values: it is kept sealed, and for those who make types
    const asked = async (role: 'steward' | 'auditor') =>
      scene.api<{ definition: { cases: object[] } }>('GET', '/api/data-types/claim', undefined, role);
    expect((await asked('steward')).definition.cases).toEqual(type.cases);
    expect((await asked('auditor')).definition.cases).toEqual([]);
    await scene.api('DELETE', '/api/data-types/claim');
    // an auditor reads it and changes nothing
    const refused = await scene.raw('PUT', '/api/data-types/claim', { role: 'auditor', body: type });
    expect(refused.status).toBe(403);
  });

  it('takes its words from a list that is brought', async () => {
    const csv = `name;town\n${Array.from({ length: 20_000 }, (_, i) => `Pier ${i};Tarn ${i}`).join('\n')}\n`;
    const { words, columns } = await send<{ words: string[]; columns: string[] }>(
      'POST',
      '/api/data-types/words?column=town',
      csv,
    );
    expect(columns).toEqual(['name', 'town']);
    expect(words).toHaveLength(20_000);
    const body = {
      text: 'from Tarn 17 to Tarn 19999 and pier 3',
      type: { id: 'towns', name: 'Towns', weight: 1, match: { words } },
    };
    const tried = await send<BenchResult>('PUT', '/api/data-types/bench', JSON.stringify(body));
    expect(tried.found.map((f) => [f.dataType, f.distinct])).toEqual([['towns', 2]]);
  });
});

describe('the bench', () => {
  it('shows every match of a text or file in place, and keeps nothing', async () => {
    const card = grouped(cardNumber(dice(7)));
    const text = `card ${card}`;
    const result = await send<BenchResult>('POST', '/api/data-types/bench', text);
    const [found] = result.found;
    const { start, end } = found!.matches[0]!;
    expect(result.text[0]!.text.slice(start, end)).toBe(card);
    expect(scene.output.join('\n')).not.toContain(card);
    const zip = zipSync({ 'inner/list.csv': Buffer.from(`name,card\nLee,${card}\nKim,${card}\n`) });
    const file = await send<BenchResult>('POST', '/api/data-types/bench?name=lists.zip', zip);
    expect(file.found[0]).toMatchObject({ dataType: 'payment-card', distinct: 1, occurrences: 2 });
    expect(file.found[0]!.matches[0]!.where).toBe('inner/list.csv');
    const auditor = await scene.raw('POST', '/api/data-types/bench', { role: 'auditor', body: text });
    expect(auditor.status).toBe(403);
  });
});

describe('certainty', () => {
  const open = async (): Promise<string[]> =>
    (await ask<{ rows: FindingRow[] }>('/api/findings', { limit: 500 })).rows.map((r) => r.summary.name);

  it('set for a data type changes what weighs at once, and back again', async () => {
    const before = await open();
    expect(before).toContain('bridge-vpn.key');
    await scene.api('PUT', '/api/data-types/certainty', { type: 'private-key', certainty: 100 });
    expect(await open()).not.toContain('bridge-vpn.key');
    expect(await ask<TypeDetail>('/api/data-types/private-key')).toMatchObject({
      from: 100,
      ownCertainty: true,
    });
    const { use } = await ask<TypeDetail>('/api/data-types/payment-card');
    expect(use!.presets.wide.files).toBeGreaterThan(use!.presets.strict.files);
    await scene.api('PUT', '/api/data-types/certainty', { type: 'private-key', certainty: null });
    expect((await open()).sort()).toEqual(before.sort());
  });

  it('is suggested from marks on samples, which are not offered again', async () => {
    const { samples } = await ask<TypeDetail>('/api/data-types/payment-card');
    expect(samples.length).toBeGreaterThanOrEqual(6);
    expect(samples.some((s) => s.certainty < 55)).toBe(true);
    expect(samples.every((s) => /•/.test(s.masked))).toBe(true);
    for (const s of samples)
      await scene.api('PUT', '/api/data-types/marks', {
        type: 'payment-card',
        source: s.source,
        item: s.item,
        place: s.place,
        certainty: s.certainty,
        right: s.certainty >= 55,
      });
    const after = await ask<TypeDetail>('/api/data-types/payment-card');
    const lowest = Math.max(...samples.filter((s) => s.certainty < 55).map((s) => s.certainty));
    expect(after.suggestion!.certainty).toBeGreaterThan(lowest);
    expect(after.suggestion).toMatchObject({ precision: 1, recall: 1 });
    const places = new Set(samples.map((s) => `${s.item} ${s.place}`));
    expect(after.samples.filter((s) => places.has(`${s.item} ${s.place}`))).toEqual([]);
  });
});

describe('packs', () => {
  it('are copied, changed as copies, and never linked', async () => {
    const [shipped] = (await ask<PackRow[]>('/api/packs')).filter((p) => p.id === 'crew-documents');
    const put = (id: string, types: string[]) =>
      scene.api('PUT', `/api/packs/${id}`, { name: 'Ours', about: '', types, copiedFrom: 'crew-documents' });
    await expect(put('crew-documents', ['iban'])).rejects.toThrow('Copy it');
    await expect(put('ours', ['no-such'])).rejects.toThrow('no-such');
    await put('ours', [...shipped!.types, 'iban']);
    const packs = await ask<PackRow[]>('/api/packs');
    expect(packs.find((p) => p.id === 'ours')!.types).toContain('iban');
    expect(packs.find((p) => p.id === 'crew-documents')).toEqual(shipped);
    const held = await ask<ContentsPage>('/api/contents', { pack: 'ours' });
    expect(held.rows.map((r) => r.type)).toContain('iban');
    expect(held.rows.map((r) => r.type)).not.toContain('payment-card');
    await scene.api('DELETE', '/api/packs/ours');
  });
});

describe('single files, and pictures', () => {
  it('one file is scanned at once when asked', async () => {
    const row = await scene.truth<{ id: string; modifiedAt: string }>('items', 'bad-bytes');
    writeFileSync(join(extract, 'files', 'bad-bytes'), `card ${grouped(cardNumber(dice(3)))}`);
    // the stand-in serves what it read at its start, so what it says stays the same; it is read all the same
    await scene.api('POST', '/api/contents/scan', { source: 'drives', item: row.id });
    const { rows } = await ask<{ rows: UnreadFile[] }>('/api/contents/unread');
    expect(rows.some((r) => r.item === 'bad-bytes')).toBe(true);
    await expect(scene.api('POST', '/api/contents/scan', { source: 'drives', item: 'none' })).rejects.toThrow(
      'did not see this file',
    );
  });

  it('text in pictures is read once that is switched on', async () => {
    const cards = async (): Promise<string[]> =>
      (
        await ask<{ rows: ContentFile[] }>('/api/contents/files', { type: 'payment-card', limit: 500 })
      ).rows.map((r) => r.name);
    expect(await cards()).not.toContain('Till receipt.png');
    await scene.api('PUT', '/api/data-types/pictures', { read: true });
    expect(await scene.survey('incremental')).toMatchObject({ state: 'done', failures: 0 });
    expect(await cards()).toContain('Till receipt.png');
  });
});
