import { parse } from 'csv-parse/sync';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { csvCell, csvLine } from './table.ts';

describe('tables to take away', () => {
  it('come back as they went, by csv-parse', () => {
    const cell = fc.string({ unit: 'binary' }).filter((t) => !/^[\s\0]*[=+\-@\t\r]/.test(t));
    fc.assert(
      fc.property(
        fc.array(fc.array(cell, { minLength: 2, maxLength: 2 }), { minLength: 1, maxLength: 6 }),
        (rows) => {
          const text = rows.map((r) => csvLine(r)).join('');
          expect(parse(text, { record_delimiter: '\r\n', bom: false })).toEqual(rows);
        },
      ),
    );
  });

  it('hold nothing that a spreadsheet would run', () => {
    for (const bad of [
      '=1+1',
      '+A1',
      '-2+3',
      '@SUM(A1)',
      '\t=1',
      ' =1',
      '\r=cmd',
      '=HYPERLINK("http://x.test")',
    ])
      expect(csvCell(bad).replace(/^"/, '')).toMatch(/^'/);
    expect(csvCell(-5)).toBe('-5');
    expect(csvCell('plain, "quoted"')).toBe('"plain, ""quoted"""');
    expect(csvCell(null)).toBe('');
  });
});
