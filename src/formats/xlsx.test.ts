import exceljs from 'exceljs';
import { expect, it } from 'vitest';
import type { Cell } from './table.ts';
import { xlsx } from './xlsx.ts';

async function written(parts: Record<string, Cell>[][]): Promise<exceljs.Workbook> {
  const chunks: Uint8Array[] = [];
  async function* tables() {
    for (const p of parts) yield await Promise.resolve(p);
  }
  for await (const chunk of xlsx('findings', tables())) chunks.push(chunk);
  const book = new exceljs.Workbook();
  const all = Buffer.concat(chunks);
  await book.xlsx.load(all.buffer.slice(all.byteOffset, all.byteOffset + all.length));
  return book;
}

it('keeps text as text, whatever a spreadsheet would take it for, and numbers as numbers', async () => {
  const names = [
    '=1+1',
    '+cmd|x',
    '@SUM(A1)',
    '\tx',
    '<script>alert(1)</script>',
    ']]> & more',
    'å🜛',
    'a\u0001b\ud800c',
    'x'.repeat(40_000),
  ];
  const book = await written([
    names.map((name, points) => ({ name, points, open: points % 2 === 0, none: null })),
  ]);
  const sheet = book.getWorksheet('findings')!;
  expect(sheet.getRow(1).values).toEqual([undefined, 'name', 'points', 'open', 'none']);
  names.forEach((name, k) => {
    const row = sheet.getRow(k + 2);
    expect(row.getCell(1).type).toBe(exceljs.ValueType.String);
    // what XML cannot hold is replaced, and what a cell cannot is cut
    expect(row.getCell(1).value).toBe(name.replace(/\u0001|\ud800/g, '\ufffd').slice(0, 32_767));
    expect(row.getCell(2).value).toBe(k);
    expect(row.getCell(3).value).toBe(k % 2 === 0);
    expect(row.getCell(4).value).toBeNull();
  });
});

it('is a workbook where there is no row, and holds parts as they come', async () => {
  expect((await written([])).worksheets).toHaveLength(1);
  const rows = (n: number) => Array.from({ length: n }, (_, i) => ({ i }));
  expect((await written([rows(500), [], rows(700)])).getWorksheet('findings')!.rowCount).toBe(1201);
});

it('ends with the error of what it reads from', async () => {
  async function* broken(): AsyncGenerator<Record<string, Cell>[]> {
    yield await Promise.resolve([{ a: 1 }]);
    throw new Error('the table broke');
  }
  await expect(async () => {
    for await (const chunk of xlsx('t', broken())) void chunk;
  }).rejects.toThrow('the table broke');
});

it('makes no more than is taken, and stops where nobody takes any', async () => {
  let made = 0;
  async function* many() {
    for (; made < 400; made++) {
      await new Promise((go) => setTimeout(go, 2));
      yield Array.from({ length: 500 }, (_, i) => ({ text: `${Math.sin(made * 500 + i)}`.repeat(4) }));
    }
  }
  const taking = xlsx('t', many());
  await taking.next();
  await new Promise((go) => setTimeout(go, 3000));
  const held = made;
  expect(held).toBeLessThan(200);
  await taking.return(undefined);
  await new Promise((go) => setTimeout(go, 500));
  expect(made).toBeLessThanOrEqual(held + 1);
});
