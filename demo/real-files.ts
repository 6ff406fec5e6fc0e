/**
 * The world's texts as files of the kinds their names tell: office documents, PDF, mail, pages,
 * archives. A line `## hidden sheet NAME`, `## notes`, `## comment` or `## suggestion` puts what follows
 * there.
 */
import { strToU8, zipSync } from 'fflate';

const xml = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;');
const HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const OFFICE = 'http://schemas.openxmlformats.org';
const DATE = new Date('2026-01-01T12:00:00Z');

const archive = (files: Record<string, string | Uint8Array>): Uint8Array =>
  zipSync(
    Object.fromEntries(
      Object.entries(files).map(([name, content]) => [
        name,
        [typeof content === 'string' ? strToU8(content) : content, { mtime: DATE, level: 6 }],
      ]),
    ),
  );

/** The text's sections by their marks; what comes first is under ''. */
function sections(text: string): { mark: string; lines: string[] }[] {
  const out = [{ mark: '', lines: [] as string[] }];
  for (const line of text.replace(/\n$/, '').split('\n')) {
    const mark = /^## (hidden sheet .*|notes|comment|suggestion)$/.exec(line)?.[1];
    if (mark) out.push({ mark, lines: [] });
    else out[out.length - 1]!.lines.push(line);
  }
  return out;
}
const under = (text: string, mark: string): string[] =>
  sections(text)
    .filter((s) => s.mark === mark)
    .flatMap((s) => s.lines);

/** Content types and relationships that an office document is packed with. */
const packed = (
  main: string,
  type: string,
  parts: Record<string, string>,
  overrides: Record<string, string> = {},
): Uint8Array =>
  archive({
    '[Content_Types].xml': `${HEAD}<Types xmlns="${OFFICE}/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>${Object.entries(
      { [main]: type, ...overrides },
    )
      .map(
        ([p, t]) =>
          `<Override PartName="/${p}" ContentType="application/vnd.openxmlformats-officedocument.${t}+xml"/>`,
      )
      .join('')}</Types>`,
    '_rels/.rels': `${HEAD}<Relationships xmlns="${OFFICE}/package/2006/relationships"><Relationship Id="r1" Type="${OFFICE}/officeDocument/2006/relationships/officeDocument" Target="${main}"/></Relationships>`,
    'docProps/core.xml': `${HEAD}<cp:coreProperties xmlns:cp="${OFFICE}/package/2006/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:creator>Tarn and Tide (made up)</dc:creator></cp:coreProperties>`,
    ...parts,
  });

function docx(text: string): Uint8Array {
  const w = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"';
  const paragraph = (line: string): string =>
    `<w:p><w:r><w:t xml:space="preserve">${xml(line)}</w:t></w:r></w:p>`;
  const changed = under(text, 'suggestion')
    .map(
      (l) =>
        `<w:p><w:ins w:id="1" w:author="A"><w:r><w:t xml:space="preserve">${xml(l)}</w:t></w:r></w:ins></w:p>`,
    )
    .join('');
  const comments = under(text, 'comment');
  return packed(
    'word/document.xml',
    'wordprocessingml.document.main',
    {
      'word/document.xml': `${HEAD}<w:document ${w}><w:body>${under(text, '').map(paragraph).join('')}${changed}</w:body></w:document>`,
      ...(comments.length && {
        'word/comments.xml': `${HEAD}<w:comments ${w}><w:comment w:id="0" w:author="A">${comments.map(paragraph).join('')}</w:comment></w:comments>`,
      }),
    },
    comments.length ? { 'word/comments.xml': 'wordprocessingml.comments' } : {},
  );
}

const cells = (line: string): string[] => line.split(line.includes(';') ? ';' : ', ');

function xlsx(text: string): Uint8Array {
  const sheets = sections(text).filter((s) => s.lines.length);
  const sheet = (lines: string[]): string =>
    `${HEAD}<worksheet xmlns="${OFFICE}/spreadsheetml/2006/main"><sheetData>${lines
      .map(
        (line, r) =>
          `<row r="${r + 1}">${cells(line)
            .map(
              (c, i) =>
                `<c r="${String.fromCharCode(65 + i)}${r + 1}" t="inlineStr"><is><t xml:space="preserve">${xml(c)}</t></is></c>`,
            )
            .join('')}</row>`,
      )
      .join('')}</sheetData></worksheet>`;
  const parts = Object.fromEntries(sheets.map((s, i) => [`xl/worksheets/sheet${i + 1}.xml`, sheet(s.lines)]));
  return packed(
    'xl/workbook.xml',
    'spreadsheetml.sheet.main',
    {
      'xl/workbook.xml': `${HEAD}<workbook xmlns="${OFFICE}/spreadsheetml/2006/main" xmlns:r="${OFFICE}/officeDocument/2006/relationships"><sheets>${sheets
        .map(
          (s, i) =>
            `<sheet name="${xml(s.mark.replace('hidden sheet ', '') || 'List')}" sheetId="${i + 1}"${s.mark ? ' state="hidden"' : ''} r:id="rId${i + 1}"/>`,
        )
        .join('')}</sheets></workbook>`,
      'xl/_rels/workbook.xml.rels': `${HEAD}<Relationships xmlns="${OFFICE}/package/2006/relationships">${sheets
        .map(
          (_, i) =>
            `<Relationship Id="rId${i + 1}" Type="${OFFICE}/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet${i + 1}.xml"/>`,
        )
        .join('')}</Relationships>`,
      ...parts,
    },
    Object.fromEntries(sheets.map((_, i) => [`xl/worksheets/sheet${i + 1}.xml`, 'spreadsheetml.worksheet'])),
  );
}

function pptx(text: string): Uint8Array {
  const ns = `xmlns:a="${OFFICE}/drawingml/2006/main" xmlns:p="${OFFICE}/presentationml/2006/main"`;
  const shape = (lines: string[]): string =>
    `<p:cSld><p:spTree><p:sp><p:txBody>${lines.map((l) => `<a:p><a:r><a:t>${xml(l)}</a:t></a:r></a:p>`).join('')}</p:txBody></p:sp></p:spTree></p:cSld>`;
  return packed('ppt/presentation.xml', 'presentationml.presentation.main', {
    'ppt/presentation.xml': `${HEAD}<p:presentation ${ns}/>`,
    'ppt/slides/slide1.xml': `${HEAD}<p:sld ${ns}>${shape(under(text, ''))}</p:sld>`,
    'ppt/notesSlides/notesSlide1.xml': `${HEAD}<p:notes ${ns}>${shape(under(text, 'notes'))}</p:notes>`,
  });
}

const odt = (text: string): Uint8Array =>
  archive({
    mimetype: 'application/vnd.oasis.opendocument.text',
    'content.xml': `${HEAD}<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:text>${text
      .split('\n')
      .map((l) => `<text:p>${xml(l)}</text:p>`)
      .join('')}</office:text></office:body></office:document-content>`,
    'meta.xml': `${HEAD}<office:document-meta xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"/>`,
  });

/** WinAnsi codes of what is no Latin-1 (ISO 32000-1 Annex D). */
const WIN_ANSI: Record<string, number> = {
  '’': 0x92,
  '‘': 0x91,
  '“': 0x93,
  '”': 0x94,
  '–': 0x96,
  '—': 0x97,
  '…': 0x85,
  '€': 0x80,
};

function pdf(text: string): Uint8Array {
  const line = (l: string): string =>
    `(${[...l].map((c) => (/[()\\]/.test(c) ? `\\${c}` : c <= '~' ? c : `\\${(WIN_ANSI[c] ?? (c.charCodeAt(0) < 256 ? c.charCodeAt(0) : 63)).toString(8)}`)).join('')}) Tj T*`;
  const lines = text.split('\n');
  const pages: string[] = [];
  for (let at = 0; at < lines.length; at += 50)
    pages.push(
      `BT /F 10 Tf 12 TL 50 790 Td\n${lines
        .slice(at, at + 50)
        .map(line)
        .join('\n')}\nET`,
    );
  const objects = [
    '<< /Type /Catalog /Pages 2 0 R >>',
    `<< /Type /Pages /Count ${pages.length} /Kids [${pages.map((_, i) => `${4 + 2 * i} 0 R`).join(' ')}] >>`,
    '<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica /Encoding /WinAnsiEncoding >>',
    ...pages.flatMap((content, i) => [
      `<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Resources << /Font << /F 3 0 R >> >> /Contents ${5 + 2 * i} 0 R >>`,
      `<< /Length ${content.length} >>\nstream\n${content}\nendstream`,
    ]),
  ];
  let out = '%PDF-1.4\n';
  const at = objects.map((o, i) => {
    const start = out.length;
    out += `${i + 1} 0 obj\n${o}\nendobj\n`;
    return start;
  });
  const table = out.length;
  out += `xref\n0 ${objects.length + 1}\n0000000000 65535 f \n${at.map((n) => `${String(n).padStart(10, '0')} 00000 n \n`).join('')}trailer\n<< /Size ${objects.length + 1} /Root 1 0 R >>\nstartxref\n${table}\n%%EOF\n`;
  return strToU8(out, true);
}

const rtf = (text: string): Uint8Array =>
  strToU8(
    `{\\rtf1\\ansi{\\fonttbl{\\f0 Helvetica;}}\\f0 ${[...text]
      .map((c) =>
        c === '\n' ? '\\par ' : /[\\{}]/.test(c) ? `\\${c}` : c > '~' ? `\\u${c.charCodeAt(0)}?` : c,
      )
      .join('')}}`,
    true,
  );

const html = (text: string): Uint8Array =>
  strToU8(
    `<!doctype html><html><head><meta charset="utf-8"><title>${xml(text.split('\n')[0]!)}</title></head><body>${text
      .split('\n')
      .map((l) => `<p>${xml(l)}</p>`)
      .join('\n')}</body></html>`,
  );

/** A message with the text as a docx on it. */
function eml(text: string): Uint8Array {
  const attached = Buffer.from(docx(text)).toString('base64');
  return strToU8(
    [
      'From: Desk <desk@tarntide.example>',
      'To: Records <records@tarntide.example>',
      `Subject: =?utf-8?B?${Buffer.from(text.split('\n')[0]!).toString('base64')}?=`,
      'Date: Mon, 05 Jan 2026 09:00:00 +0000',
      'MIME-Version: 1.0',
      'Content-Type: multipart/mixed; boundary="gl"',
      '',
      '--gl',
      'Content-Type: text/plain; charset=utf-8',
      '',
      'For the file.',
      '--gl',
      'Content-Type: application/vnd.openxmlformats-officedocument.wordprocessingml.document; name="text.docx"',
      'Content-Transfer-Encoding: base64',
      'Content-Disposition: attachment; filename="text.docx"',
      '',
      ...(attached.match(/.{1,76}/g) ?? []),
      '--gl--',
      '',
    ].join('\r\n'),
  );
}

const MAKERS: Record<string, (text: string) => Uint8Array> = {
  docx,
  xlsx,
  pptx,
  odt,
  pdf,
  rtf,
  html,
  eml,
  zip: (text) =>
    archive({ 'inside/text.docx': docx(text), 'readme.txt': 'Made-up texts of a demonstration.\n' }),
  json: (text) => strToU8(JSON.stringify({ madeUp: true, lines: text.split('\n') }, null, 1)),
};

/** The file of a name that says what the text says; undefined where the text itself is the file. */
export const realFile = (name: string, text: string): Uint8Array | undefined =>
  MAKERS[name.slice(name.lastIndexOf('.') + 1)]?.(text);
