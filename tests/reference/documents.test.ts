/**
 * Files as other libraries write them: docx 9, exceljs 4, pptxgenjs 4, pdfkit 0.20, nodemailer 9 and
 * Node's own zlib. What each was given to say is what is read, in the part where it stands.
 */
import { gzipSync } from 'node:zlib';
import {
  CommentRangeStart,
  CommentReference,
  DeletedTextRun,
  Document,
  Footer,
  InsertedTextRun,
  Packer,
  Paragraph,
  TextRun,
} from 'docx';
import { Workbook } from 'exceljs';
import MailComposer from 'nodemailer/lib/mail-composer/index.js';
import PDFDocument from 'pdfkit';
import pptxgen from 'pptxgenjs';
import { describe, expect, it } from 'vitest';
import { cardNumber, dice, grouped } from '../../demo/make.ts';
import { DATA_TYPES } from '../../src/core/recognise/types/index.ts';
import { Scanner } from '../../src/core/recognise/scan.ts';
import { readDocument, type Piece } from '../../src/formats/documents.ts';
import { scanFile } from '../../src/formats/scan.ts';

/** Published for testing (ISO/IEC 7812 check digit; common practice). */
const CARD = '5555 5555 5555 4444';

async function read(bytes: Uint8Array) {
  const pieces: Piece[] = [];
  const left: string[] = [];
  await readDocument(bytes, { piece: (p) => void pieces.push(p), left: (r) => void left.push(r) });
  const text = (part: string, where?: RegExp): string =>
    pieces
      .filter((p) => p.part === part && (!where || where.test(p.where ?? '')))
      .map((p) => p.text)
      .join('');
  return { pieces, left, text };
}

async function found(bytes: Uint8Array) {
  const scanner = new Scanner({ types: DATA_TYPES, hash: (type, value) => type + value });
  await scanFile(
    scanner,
    (async function* () {
      yield await Promise.resolve(bytes);
    })(),
  );
  return scanner.finish();
}

async function pdf(options: PDFKit.PDFDocumentOptions, write: (doc: PDFKit.PDFDocument) => void) {
  const doc = new PDFDocument(options);
  const chunks: Uint8Array[] = [];
  doc.on('data', (c: Uint8Array) => chunks.push(c));
  const ended = new Promise((resolve) => doc.on('end', resolve));
  write(doc);
  doc.end();
  await ended;
  return Buffer.concat(chunks);
}

async function word(): Promise<Uint8Array> {
  const change = { id: 1, author: 'Kim', date: '2026-01-01T00:00:00Z' };
  return Packer.toBuffer(
    new Document({
      title: 'Manifest of the evening sailing',
      comments: { children: [{ id: 0, author: 'Kim', children: [new Paragraph('who may see this?')] }] },
      sections: [
        {
          footers: { default: new Footer({ children: [new Paragraph('not for the notice board')] }) },
          children: [
            new Paragraph({
              children: [new TextRun('Card 5555 5555 '), new TextRun({ text: '5555 4444', bold: true })],
            }),
            new Paragraph({
              children: [
                new InsertedTextRun({ text: 'put in', ...change }),
                new DeletedTextRun({ text: 'struck out', ...change, id: 2 }),
                new CommentRangeStart(0),
                new TextRun({ children: [new CommentReference(0)] }),
              ],
            }),
          ],
        },
      ],
    }),
  );
}

describe('documents as others write them', () => {
  it('docx: runs joined, footer, changes, comments and properties in their parts', async () => {
    const bytes = await word();
    const { text, left } = await read(bytes);
    expect(left).toEqual([]);
    expect(text('body')).toContain(`Card ${CARD}`);
    expect(text('body')).toContain('not for the notice board');
    expect(text('suggestion')).toMatch(/put in\s*struck out/);
    expect(text('comment')).toContain('who may see this?');
    expect(text('metadata')).toContain('Manifest of the evening sailing');
    expect((await found(bytes)).map((f) => [f.dataType, f.distinct])).toEqual([['payment-card', 1]]);
  });

  it('xlsx: columns under their headings, hidden sheets named, formulas by their results', async () => {
    const card = grouped(cardNumber(dice(3)));
    const book = new Workbook();
    const sheet = book.addWorksheet('Refunds');
    sheet.addRow(['Passenger', 'Card', 'Part number', 'Sum']);
    for (let i = 0; i < 3; i++)
      sheet.addRow(['Lee', card, '5105 1051 0510 5100', { formula: 'A1&"4012888888881881"', result: 7 }]);
    sheet.getCell('A2').note = 'asked twice';
    book
      .addWorksheet('Old pay', { state: 'veryHidden' })
      .addRow(['Bank', 'IBAN', 'GB82 WEST 1234 5698 7654 32']);
    const bytes = new Uint8Array(await book.xlsx.writeBuffer());
    const { pieces, text } = await read(bytes);
    expect(pieces.find((p) => p.heading === 'Card')).toMatchObject({
      where: 'sheet Refunds',
      text: expect.stringContaining(card) as string,
    });
    expect(text('body', /^hidden sheet Old pay$/)).toContain('GB82 WEST');
    expect(text('body')).not.toContain('4012888888881881');
    expect(text('comment')).toContain('asked twice');
    const certain = (await found(bytes)).find((f) => f.dataType === 'payment-card')!.matches;
    expect(certain.find((m) => m.masked.endsWith(card.slice(-4)))!.certainty).toBeGreaterThanOrEqual(80);
    expect(certain.find((m) => m.masked.endsWith('5100'))?.certainty ?? 0).toBeLessThan(55);
  });

  it('pptx: slides and what only the speaker sees', async () => {
    const Pptx = pptxgen as unknown as new () => {
      addSlide(): { addText(text: string, at: object): void; addNotes(text: string): void };
      write(how: object): Promise<unknown>;
    };
    const deck = new Pptx();
    const slide = deck.addSlide();
    slide.addText('Autumn routes', { x: 1, y: 1 });
    slide.addNotes('the new island is not announced yet');
    const { text } = await read(
      new Uint8Array((await deck.write({ outputType: 'arraybuffer' })) as ArrayBuffer),
    );
    expect(text('body', /^slide 1$/)).toContain('Autumn routes');
    expect(text('body', /^speaker notes 1$/)).toContain('the new island is not announced yet');
  });

  it('pdf: pages, comments, properties, files attached; locked ones are said to be', async () => {
    const bytes = await pdf({ info: { Title: 'Crew list' } }, (doc) => {
      doc.text(`Refund to card ${CARD}`);
      doc.note(10, 10, 20, 20, 'ask the purser');
      doc.addPage().text('The second page');
      doc.file(Buffer.from('NHS number 943 476 5919'), { name: 'inner.txt' });
    });
    const { text, left } = await read(bytes);
    expect(left).toEqual([]);
    expect(text('body', /^page 1$/)).toContain(`Refund to card ${CARD}`);
    expect(text('body', /^page 2$/)).toContain('The second page');
    expect(text('body', /^inner\.txt$/)).toContain('943 476 5919');
    expect(text('comment')).toContain('ask the purser');
    expect(text('metadata')).toContain('Title: Crew list');
    expect((await found(bytes)).map((f) => f.dataType).sort()).toEqual(['gb-nhs', 'payment-card']);
    const locked = await read(await pdf({ userPassword: 'x', ownerPassword: 'y' }, (doc) => doc.text(CARD)));
    expect(locked.left).toEqual(['a PDF that is locked']);
    expect((await read(bytes.subarray(0, 400))).left).toEqual(['a PDF that is damaged']);
  });

  it('mail: who, what about, what it says once, and what hangs on it', async () => {
    const bytes = await new MailComposer({
      from: 'Åse Berg <ase@tarntide.example>',
      to: 'agent@port.example',
      subject: 'Mannskapsliste – høst',
      text: `Kortet er ${CARD}`,
      html: `<p>Kortet er <b>${CARD}</b></p>`,
      attachments: [
        { filename: 'list.docx', content: Buffer.from(await word()) },
        {
          filename: 'fwd.eml',
          content: 'From: a@b.example\r\nTo: c@d.example\r\nSubject: inner\r\n\r\ndeeper',
          contentType: 'message/rfc822',
        },
      ],
    })
      .compile()
      .build();
    const { text, left } = await read(bytes);
    expect(left).toEqual([]);
    expect(text('title')).toContain('Mannskapsliste – høst');
    expect(text('metadata')).toContain('Åse Berg <ase@tarntide.example>');
    expect(text('body', /^$/).match(new RegExp(CARD, 'g'))).toHaveLength(1);
    expect(text('body', /^list\.docx$/)).toContain(CARD);
    expect(text('body', /^fwd\.eml/)).toContain('deeper');
  });

  it('gzip, and tables with separators by column; an unclosed quote loses nothing', async () => {
    const rows = [
      'name;card;part number',
      ...Array.from({ length: 4 }, (_, i) => `"Lee; ${i}";"${CARD}";5105105105105100`),
    ];
    const { pieces } = await read(gzipSync(rows.join('\r\n')));
    expect(pieces.map((p) => [p.heading, p.text.split('\n')[1]])).toEqual([
      ['name', 'Lee; 0'],
      ['card', CARD],
      ['part number', '5105105105105100'],
    ]);
    const odd = await read(Buffer.from('a,b,c\n1,2,3\n4,"5,6\n7,8,9\n1,2,3\n'));
    expect(odd.text('body')).toContain('"5');
    expect(odd.text('body')).toContain('9');
  });

  it('json: names as words, escapes as what they stand for', async () => {
    const { text } = await read(
      Buffer.from(
        JSON.stringify({ staff: [{ cardNumber: CARD, note: 'a\u0001"b"\\', nhs_number: '9434765919' }] }),
      ),
    );
    expect(text('body')).toContain(`card Number:${CARD}`);
    expect(text('body')).toContain('a\u0001"b"\\');
    const all = await found(Buffer.from(`[${'[{"x":'.repeat(50_000)}"NHS number 943 476 5919"`));
    expect(all.map((f) => f.dataType)).toEqual(['gb-nhs']);
  });
});
