/** Tables as Office Open XML workbooks (ECMA-376), written row by row. Text is stored as text: no cell is a formula. */
import { PassThrough } from 'node:stream';
import exceljs from 'exceljs';
import type { Cell } from './table.ts';

/** Rows of one sheet; what is more goes on to the next. */
const SHEET_ROWS = 1_048_575;
/** A cell's text may have no more characters. */
const CELL_TEXT = 32_767;

/** The workbook's bytes, as rows come. `name`: of the sheets. */
export async function* xlsx(
  name: string,
  tables: AsyncIterable<readonly Record<string, Cell>[]>,
): AsyncGenerator<Uint8Array> {
  const out = new PassThrough();
  const book = new exceljs.stream.xlsx.WorkbookWriter({ stream: out, useStyles: true });
  const room = (): Promise<void> =>
    new Promise((go) => {
      const on = (): void => {
        out.off('drain', on).off('close', on);
        go();
      };
      out.on('drain', on).on('close', on);
    });
  const written = (async (): Promise<void> => {
    let sheet: exceljs.Worksheet | undefined;
    let columns: string[] = [];
    let [rows, sheets] = [0, 0];
    const open = (): exceljs.Worksheet => {
      sheets++;
      const next = book.addWorksheet(sheets === 1 ? name : `${name} ${sheets}`, {
        views: [{ state: 'frozen', ySplit: 1 }],
      });
      next.columns = columns.map((header) => ({ header, width: Math.max(10, header.length + 2) }));
      next.getRow(1).font = { bold: true };
      next.getRow(1).commit();
      rows = 0;
      return next;
    };
    for await (const part of tables) {
      if (!columns.length && part[0]) columns = Object.keys(part[0]);
      for (const row of part) {
        if (!sheet || rows === SHEET_ROWS) {
          sheet?.commit();
          sheet = open();
        }
        const cells = columns.map((c) => {
          const value = row[c] ?? null;
          return typeof value === 'string' ? storable(value) : value;
        });
        sheet.addRow(cells).commit();
        rows++;
      }
      // what has not been taken yet is waited for, so that no more than a part is held
      while (out.writableNeedDrain && !out.destroyed) await room();
      if (out.destroyed) return;
    }
    (sheet ?? open()).commit();
    await book.commit();
  })();
  written.catch((e: unknown) => out.destroy(e as Error));
  for await (const chunk of out) yield chunk as Uint8Array;
  await written;
}

/** XML 1.0 §2.2 has no place for most control characters, nor for halves of surrogate pairs. */
const storable = (text: string): string =>
  text
    .slice(0, CELL_TEXT)
    .replace(
      /[\0-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g,
      '�',
    );
