import { strToU8, zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { cardNumber, dice } from '../../demo/make.ts';
import { Scanner } from '../core/recognise/scan.ts';
import { DATA_TYPES } from '../core/recognise/types/index.ts';
import {
  DOCUMENT_LIMITS,
  encodingOf,
  kindOf,
  readDocument,
  type DocumentLimits,
  type Piece,
} from './documents.ts';
import { scanFile } from './scan.ts';

const zip = (files: Record<string, string | Uint8Array>): Uint8Array =>
  zipSync(
    Object.fromEntries(Object.entries(files).map(([k, v]) => [k, typeof v === 'string' ? strToU8(v) : v])),
  );

async function read(
  bytes: Uint8Array,
  limits: DocumentLimits = DOCUMENT_LIMITS,
): Promise<{ pieces: Piece[]; left: string[]; by: (part: string) => string }> {
  const pieces: Piece[] = [];
  const left: string[] = [];
  await readDocument(
    bytes,
    { piece: (p) => void pieces.push(p), left: (r) => void left.push(r) },
    { limits },
  );
  return {
    pieces,
    left,
    by: (part) =>
      pieces
        .filter((p) => p.part === part)
        .map((p) => p.text)
        .join(''),
  };
}

/** As a file that comes in pieces. */
async function scan(bytes: Uint8Array, size = 1000) {
  const scanner = new Scanner({ types: DATA_TYPES, hash: (type, value) => type + value });
  async function* pieces(): AsyncGenerator<Uint8Array> {
    for (let at = 0; at < bytes.length; at += size)
      yield await Promise.resolve(bytes.subarray(at, at + size));
  }
  const told = await scanFile(scanner, pieces());
  return { ...told, found: scanner.finish() };
}

const WORD = zip({
  '[Content_Types].xml': '<Types/>',
  'word/document.xml': `<w:document xmlns:w="w"><w:body>
    <w:p><w:r><w:t>Crew list</w:t></w:r></w:p>
    <w:p><w:r><w:t xml:space="preserve">pass</w:t></w:r><w:r><w:t>port &amp; visa</w:t></w:r></w:p>
    <w:p><w:ins w:author="a"><w:r><w:t>added later</w:t></w:r></w:ins><w:del><w:r><w:delText>taken out</w:delText></w:r></w:del></w:p>
  </w:body></w:document>`,
  'word/comments.xml':
    '<w:comments xmlns:w="w"><w:comment><w:p><w:r><w:t>who is this?</w:t></w:r></w:p></w:comment></w:comments>',
  'word/footer1.xml': '<w:ftr xmlns:w="w"><w:p><w:r><w:t>confidential</w:t></w:r></w:p></w:ftr>',
  'docProps/core.xml': '<cp:coreProperties><dc:creator>Kim Lee</dc:creator></cp:coreProperties>',
});

const workbook = (column: string, values: string[]): Uint8Array =>
  zip({
    'xl/workbook.xml': '<workbook><sheets><sheet name="a" state="veryHidden"/></sheets></workbook>',
    'xl/sharedStrings.xml': `<sst><si><t>${column}</t></si><si><r><t>two </t></r><r><t>runs</t></r></si></sst>`,
    'xl/worksheets/sheet1.xml': `<worksheet><sheetData>
      <row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" t="inlineStr"><is><t>Note</t></is></c></row>
      ${values.map((v, i) => `<row r="${i + 2}"><c r="A${i + 2}"><v>${v}</v></c><c r="B${i + 2}" t="s"><v>1</v></c></row>`).join('')}
    </sheetData></worksheet>`,
    'xl/comments1.xml':
      '<comments><commentList><comment ref="A1"><text><t>check these</t></text></comment></commentList></comments>',
  });

describe('documents', () => {
  it('are told by their first bytes and not by their names', () => {
    expect(kindOf(WORD)).toBe('zip');
    expect(kindOf(strToU8('%PDF-1.7'))).toBe('pdf');
    expect(kindOf(strToU8('{\\rtf1\\ansi x}'))).toBe('rtf');
    expect(kindOf(strToU8('\n <!DOCTYPE html><p>x'))).toBe('html');
    expect(kindOf(strToU8('name,card\n1,2'))).toBe('text');
    expect(kindOf(Uint8Array.from({ length: 300 }, (_, i) => i % 7))).toBe('unknown');
  });

  it('of a word processor are read by part: runs joined, changes and comments apart', async () => {
    const { by, left } = await read(WORD);
    expect(left).toEqual([]);
    expect(by('body')).toContain('passport & visa');
    expect(by('body')).toContain('confidential');
    expect(by('body')).not.toContain('added later');
    expect(by('suggestion')).toContain('added later');
    expect(by('suggestion')).toContain('taken out');
    expect(by('comment')).toContain('who is this?');
    expect(by('metadata')).toContain('Kim Lee');
  });

  it('of a spreadsheet are read by column, under its heading, hidden sheets too', async () => {
    const d = dice(4);
    const cards = Array.from({ length: 5 }, () => cardNumber(d));
    const { pieces, by } = await read(workbook('Card number', cards));
    expect(pieces.find((p) => p.heading === 'Card number')!.text).toContain(cards.join('\n'));
    expect(by('body')).toContain('two runs');
    expect(by('comment')).toContain('check these');
    const certain = async (heading: string): Promise<number> =>
      (await scan(workbook(heading, cards))).found.find((f) => f.dataType === 'payment-card')!.certainty;
    expect(await certain('Card number')).toBeGreaterThanOrEqual(80);
    expect(await certain('Part number')).toBeLessThan(55);
  });

  it('of slides, of OpenDocument, of the web and RTF are read', async () => {
    const slides = zip({
      'ppt/presentation.xml': '<p/>',
      'ppt/slides/slide1.xml': '<p:sld><a:p><a:r><a:t>Plan</a:t></a:r></a:p></p:sld>',
      'ppt/notesSlides/notesSlide1.xml':
        '<p:notes><a:p><a:r><a:t>do not say this</a:t></a:r></a:p></p:notes>',
    });
    expect((await read(slides)).by('body')).toMatch(/Plan\n+do not say this/);
    const open = zip({
      mimetype: 'application/vnd.oasis.opendocument.text',
      'content.xml':
        '<office:document-content><text:p>Hello<office:annotation><text:p>a note</text:p></office:annotation></text:p><text:tracked-changes><text:p>was</text:p></text:tracked-changes></office:document-content>',
      'meta.xml': '<m><dc:creator>Lee</dc:creator></m>',
    });
    expect((await read(open)).by('body')).toContain('Hello');
    expect((await read(open)).by('comment')).toContain('a note');
    expect((await read(open)).by('suggestion')).toContain('was');
    expect((await read(open)).by('metadata')).toContain('Lee');
    const page = await read(
      strToU8(
        '<!doctype html><title>T</title><script>var x = 1</script><p>one<b>two</b></p><p>caf&eacute;</p>',
      ),
    );
    expect(page.by('body')).toMatch(/T\n+onetwo\n+café/);
    expect(page.by('body')).not.toContain('var x');
    const rtf = await read(
      strToU8("{\\rtf1\\ansi{\\fonttbl{\\f0 Arial;}}\\f0 R\\'e9sum\\u233?\\par next\\{line\\}}"),
    );
    expect(rtf.by('body')).toBe('Résumé\nnext{line}');
  });

  it('in other encodings are read: UTF-16 with a mark and without, windows-1252', async () => {
    const utf16 = (text: string): Uint8Array => Uint8Array.from(Buffer.from(text, 'utf16le'));
    expect(encodingOf(utf16('password and more of it'))).toBe('utf-16le');
    expect(encodingOf(utf16('password and more of it').reverse())).toBe('utf-16be');
    expect(encodingOf(Uint8Array.from([0x63, 0x61, 0x66, 0xe9, 0x20, 0x61]))).toBe('windows-1252');
    expect(encodingOf(strToU8('café'.repeat(2000)))).toBe('utf-8');
    const { found } = await scan(utf16('\ufeffssn 536-90-4399 '.repeat(300)), 777);
    expect(found.map((f) => [f.dataType, f.occurrences])).toEqual([['us-ssn', 300]]);
  });

  it('within archives are read three deep, and no deeper, and it is said', async () => {
    let bytes: Uint8Array = strToU8('at the bottom');
    const wrapped = (depth: number): Uint8Array => {
      let inner: Uint8Array = bytes;
      for (let k = 0; k < depth; k++) inner = zip({ [`level ${k}`]: inner });
      return inner;
    };
    expect((await read(wrapped(3))).by('body')).toBe('at the bottom');
    expect((await read(wrapped(4))).by('body')).toBe('');
    expect((await read(wrapped(4))).left).toEqual([expect.stringContaining('3 deep')]);
    bytes = WORD;
    expect((await read(wrapped(2))).by('body')).toContain('passport & visa');
  });

  it('that are made to do harm are left, and it is said', async () => {
    const bomb = zip({ 'a.txt': new Uint8Array(60 * 2 ** 20) });
    expect(bomb.length).toBeLessThan(2 ** 20);
    const before = process.memoryUsage().rss;
    expect((await read(bomb)).left).toEqual([expect.stringContaining('swells')]);
    expect(process.memoryUsage().rss - before).toBeLessThan(700 * 2 ** 20);
    expect((await read(WORD.slice(0, WORD.length / 2))).left).toEqual(['an archive is damaged']);
    const damaged = Uint8Array.from(WORD);
    damaged.fill(0xff, 60, 200);
    // what cannot be read of it is not made up
    expect((await read(damaged)).by('body')).not.toContain('Crew list');
    expect((await read(zip({ 'x.png': Uint8Array.of(0x89, 0x50, 0x4e, 0x47) }))).left).toEqual([
      'pictures are not read (x.png)',
    ]);
    const small = { ...DOCUMENT_LIMITS, entries: 3, text: 10 };
    expect(
      (await read(zip(Object.fromEntries(Array.from({ length: 9 }, (_, i) => [`${i}`, 'x']))), small))
        .left[0],
    ).toContain('first 3 files');
    expect((await scan(strToU8('%PDF-1.7 ssn 536-90-4399'))).read).toBe(false);
    // deep markup, entities in entities, a tag that never ends
    const deep = zip({ 'word/document.xml': `first${'<w:p>'.repeat(200_000)}end` });
    expect((await read(deep)).by('body')).toContain('first');
    expect((await read(deep)).left).toEqual(['markup nested more than 1000 deep']);
    const laughs = zip({
      'word/document.xml': `<!DOCTYPE x [<!ENTITY a "${'ha'.repeat(50)}"><!ENTITY b "&a;&a;&a;">]><w:t>&b;</w:t>`,
    });
    expect((await read(laughs)).by('body').length).toBeLessThan(200);
    expect(
      (await read(zip({ 'word/document.xml': `<w:t>fine</w:t><w:p ${'x="'.repeat(100_000)}` }))).by('body'),
    ).toContain('fine');
    expect((await read(strToU8(`{\\rtf1 ${'{'.repeat(500_000)}x`))).by('body')).toContain('x');
  });
});
