import { parse } from 'csv-parse/sync';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { csvCell, csvLine } from './table.ts';

describe('tables to take away', () => {
  it('come back as they went, by csv-parse', () => {
    const cell = fc.string({ unit: 'binary' }).filter((t) => !csvCell(t).replace(/^"/, '').includes("'"));
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
      '\uFF1D1+1',
      '\u200B=1+1',
      '\uFEFF\u00A0@SUM(A1)',
      '\u2060\uFF0B1',
    ])
      expect(csvCell(bad).replace(/^"/, '')).toMatch(/^'/);
    expect(csvCell(-5)).toBe('-5');
    expect(csvCell('plain, "quoted"')).toBe('"plain, ""quoted"""');
    expect(csvCell(null)).toBe('');
  });

  it('hold nothing that it would run where cells are parted otherwise (csv-parse, lenient with quotes)', () => {
    const piece = fc.constantFrom(
      ...[
        '=',
        '+',
        '-',
        '@',
        '\uFF1D',
        '\uFF20',
        ';',
        '|',
        '\t',
        ',',
        '"',
        "'",
        '\n',
        '\r',
        ' ',
        '\u200B',
        '\u00AD',
        'a',
        '1',
      ],
    );
    const cell = fc.array(piece, { maxLength: 8 }).map((p) => p.join(''));
    fc.assert(
      fc.property(
        fc.array(fc.array(cell, { minLength: 1, maxLength: 3 }), { minLength: 1, maxLength: 3 }),
        fc.constantFrom(',', ';', '\t', '|'),
        (rows, delimiter) => {
          const text = rows.map((r) => csvLine(r)).join('');
          const read = parse(text, {
            delimiter,
            relax_quotes: true,
            relax_column_count: true,
            quote: delimiter === ',' ? '"' : null,
            record_delimiter: delimiter === ',' ? '\r\n' : ['\r\n', '\n', '\r'],
          });
          for (const row of read)
            for (const value of row)
              expect(
                value.replace(delimiter === ',' ? /^[\s\p{Cf}]*/u : /^[\s"\p{Cf}]*/u, ''),
                JSON.stringify(text),
              ).not.toMatch(/^[=+\-@\uFF1D\uFF0B\uFF0D\uFF20]/);
        },
      ),
      { numRuns: 3000 },
    );
  });
});
