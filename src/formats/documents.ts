/**
 * What documents say: the text of a file by its parts, whatever its name is. Kinds are told by their
 * first bytes. Everything is bounded, and what was not read is said.
 */
import { Gunzip, Unzip, UnzipInflate } from 'fflate';
import type { Part } from '../core/model.ts';
import { looksLikeMail, readMail } from './mail.ts';
import { eachElement, eachTable, markupText, rtfText, type MarkupOptions } from './markup.ts';
import { readPdf } from './pdf.ts';
import { jsonText, looksLikeJson, separatorOf, tableRows, words } from './structured.ts';

export interface DocumentLimits {
  /** Bytes of text taken from one file, inner files and all. */
  text: number;
  /** Bytes unpacked from one archive: what is beyond, or swells more than `swelling`-fold, is left. */
  unpacked: number;
  swelling: number;
  /** Archives within archives. */
  depth: number;
  /** Elements within elements. */
  nesting: number;
  /** Files in one archive. */
  entries: number;
}
export const DOCUMENT_LIMITS: DocumentLimits = {
  text: 64 * 2 ** 20,
  unpacked: 256 * 2 ** 20,
  swelling: 200,
  depth: 3,
  nesting: 1000,
  entries: 10_000,
};

export interface Piece {
  part: Part;
  text: string;
  /** What stands over it: the heading of a table's column. */
  heading?: string;
  /** Where in the document it is, where that is worth telling: “hidden sheet Pay”, “notes of slide 3”. */
  where?: string;
}

/** Takes the pieces of one document, and what could not be read of it. */
export interface DocumentSink {
  piece(piece: Piece): void;
  /** Something was left out; in words. */
  left(reason: string): void;
}

/** Kinds by their first bytes (the formats' own specifications). */
export type DocumentKind =
  | 'zip'
  | 'pdf'
  | 'rtf'
  | 'html'
  | 'mail'
  | 'json'
  | 'table'
  | 'image'
  | 'old-office'
  | 'gzip'
  | 'text'
  | 'unknown';

const starts = (bytes: Uint8Array, ...magic: number[]): boolean => magic.every((b, i) => bytes[i] === b);

export function kindOf(bytes: Uint8Array): DocumentKind {
  if (starts(bytes, 0x50, 0x4b, 3, 4) || starts(bytes, 0x50, 0x4b, 5, 6)) return 'zip';
  if (starts(bytes, 0x25, 0x50, 0x44, 0x46, 0x2d)) return 'pdf';
  if (starts(bytes, 0x7b, 0x5c, 0x72, 0x74, 0x66)) return 'rtf';
  if (starts(bytes, 0x1f, 0x8b)) return 'gzip';
  if (starts(bytes, 0xd0, 0xcf, 0x11, 0xe0)) return 'old-office';
  if (
    starts(bytes, 0x89, 0x50, 0x4e, 0x47) ||
    starts(bytes, 0xff, 0xd8, 0xff) ||
    starts(bytes, 0x47, 0x49, 0x46, 0x38) ||
    starts(bytes, 0x49, 0x49, 0x2a, 0) ||
    starts(bytes, 0x4d, 0x4d, 0, 0x2a)
  )
    return 'image';
  const head = decodeText(bytes.subarray(0, 4096));
  if (/^\s{0,200}(?:<!doctype html|<html[\s>])/i.test(head)) return 'html';
  // text holds no control characters but those that break lines and set columns
  let odd = 0;
  for (const c of head) {
    const code = c.charCodeAt(0);
    if (code < 9 || (code > 13 && code < 32 && code !== 27)) odd++;
  }
  if (odd > head.length / 100) return 'unknown';
  if (looksLikeMail(head)) return 'mail';
  if (looksLikeJson(head)) return 'json';
  return separatorOf(head) ? 'table' : 'text';
}

/** Encoding by byte order mark; UTF-16 without one by its zero bytes; else UTF-8 where it holds, or windows-1252. */
export function encodingOf(bytes: Uint8Array): string {
  if (starts(bytes, 0xff, 0xfe)) return 'utf-16le';
  if (starts(bytes, 0xfe, 0xff)) return 'utf-16be';
  const sample = bytes.subarray(0, 4096);
  const zeros = [0, 0];
  sample.forEach((b, i) => {
    if (b === 0) zeros[i % 2]!++;
  });
  const half = sample.length / 2;
  if (sample.length > 8 && zeros[1]! > half * 0.4 && zeros[0]! < half * 0.1) return 'utf-16le';
  if (sample.length > 8 && zeros[0]! > half * 0.4 && zeros[1]! < half * 0.1) return 'utf-16be';
  try {
    // the sample may end within a character
    new TextDecoder('utf-8', { fatal: true }).decode(sample, { stream: true });
    return 'utf-8';
  } catch {
    return 'windows-1252';
  }
}
const decodeText = (bytes: Uint8Array): string => new TextDecoder(encodingOf(bytes)).decode(bytes);

export interface ReadOptions {
  limits?: DocumentLimits;
  /** The text in a picture, where that is wanted. */
  ocr?: (picture: Uint8Array) => Promise<string>;
}

/** Reads a whole file. What cannot be read of it is said and not thrown. */
export async function readDocument(
  bytes: Uint8Array,
  sink: DocumentSink,
  options: ReadOptions = {},
): Promise<void> {
  await new Reader(sink, options.limits ?? DOCUMENT_LIMITS, options.ocr).file(bytes, 0, '');
}

/** Rows of a table that are read as columns at a time. */
const BLOCK = 5000;

class Reader {
  private text = 0;
  private full = false;
  /** Where what is read now stands. */
  private where = '';

  constructor(
    private readonly sink: DocumentSink,
    private readonly limits: DocumentLimits,
    private readonly ocr: ReadOptions['ocr'],
  ) {}

  private piece(part: Part, text: string, heading?: string): void {
    if (!text || this.full) return;
    const room = this.limits.text - this.text;
    if (text.length > room) {
      this.full = true;
      this.sink.left(`only the first ${Math.round(this.limits.text / 2 ** 20)} MB of its text`);
    }
    this.text += text.length;
    this.sink.piece({
      part,
      text: text.slice(0, room),
      ...(heading && { heading }),
      ...(this.where && { where: this.where }),
    });
  }

  /** What is read meanwhile stands there, within what it stands in already. */
  private async at<T>(place: string, work: () => T | Promise<T>): Promise<T> {
    const before = this.where;
    this.where = before ? `${before}, ${place}` : place;
    try {
      return await work();
    } finally {
      this.where = before;
    }
  }

  async file(bytes: Uint8Array, depth: number, within: string): Promise<void> {
    const where = within ? ` (${within})` : '';
    switch (kindOf(bytes)) {
      case 'zip':
        return this.zip(bytes, depth, within);
      case 'gzip':
        return this.gzip(bytes, depth, within);
      case 'mail':
        return this.mail(bytes, depth, within);
      case 'pdf':
        return this.pdf(bytes, depth, within);
      case 'html':
        return this.html(decodeText(bytes));
      case 'rtf':
        return this.piece('body', rtfText(new TextDecoder('latin1').decode(bytes)));
      case 'json':
        return this.piece('body', jsonText(decodeText(bytes)));
      case 'table': {
        const text = decodeText(bytes);
        return this.table(tableRows(text, separatorOf(text) ?? ','));
      }
      case 'text':
        return this.piece('body', decodeText(bytes));
      case 'image':
        if (!this.ocr) return this.sink.left(`pictures are not read${where}`);
        try {
          return this.piece('body', await this.ocr(bytes));
        } catch {
          return this.sink.left(`a picture that could not be read${where}`);
        }
      case 'old-office':
        return this.sink.left(`the office formats of before 2007 are not read${where}`);
      default:
        return this.sink.left(`it is of no kind that is read${where}`);
    }
  }

  /**
   * A table by column, each under the heading in its first row, so that what stands in one column says
   * nothing about another; a narrow one whose first column only names what the next holds, by row.
   */
  private table(rows: Iterable<readonly string[]>): void {
    let headings: string[] | undefined;
    let byRow = false;
    let block: string[][] = [];
    const heading = (c: number): string => headings![c] ?? '';
    const flush = (): void => {
      const columns = Math.max(0, ...block.map((r) => r.length));
      if (byRow)
        for (const row of block)
          row.forEach((cell, c) =>
            this.piece('body', `${cell}\n`, c ? `${heading(c)} ${words(row[0]!)}`.trim() : heading(0)),
          );
      else
        for (let c = 0; c < columns; c++) {
          const cells = block.flatMap((r) => r[c] || []);
          if (cells.length) this.piece('body', `${cells.join('\n')}\n`, heading(c));
        }
      block = [];
    };
    for (const row of rows) {
      if (this.full) return;
      block.push(row as string[]);
      if (block.length === 1 && !headings) headings = row.map((cell) => (/\d/.test(cell) ? '' : words(cell)));
      if (block.length < BLOCK) continue;
      flush();
    }
    if (headings && headings.length <= 3 && block.length <= 1000)
      byRow = block.filter((r) => r[0] && !/\d/.test(r[0])).length > block.length * 0.8;
    flush();
  }

  private async mail(bytes: Uint8Array, depth: number, within: string): Promise<void> {
    let mail;
    try {
      mail = await readMail(bytes);
    } catch {
      this.sink.left(`a message that is nested too deep or damaged${within && ` (${within})`}`);
      return this.piece('body', decodeText(bytes));
    }
    this.piece('title', `${mail.subject}\n`);
    this.piece('metadata', `${mail.people}\n`);
    const page = mail.html ? this.markup(mail.html, { xml: false }).text : '';
    const plain = (text: string): string => text.replace(/\s+/g, ' ').trim();
    // most messages say the same twice, as a page and as plain text
    if (!page || !plain(page).includes(plain(mail.text))) this.piece('body', `${mail.text}\n`);
    this.piece('body', page);
    for (const { name, bytes: inner } of mail.attachments) await this.inner(name, inner, depth + 1);
  }

  private pdf(bytes: Uint8Array, depth: number, within: string): Promise<void> {
    return readPdf(bytes, {
      page: (n, text) => {
        void this.at(`page ${n}`, () => this.piece('body', text));
        return !this.full;
      },
      comment: (text) => this.piece('comment', text),
      metadata: (text) => this.piece('metadata', text),
      file: (name, inner) => this.inner(name, inner, depth + 1),
      left: (reason) => this.sink.left(`${reason}${within && ` (${within})`}`),
    });
  }

  /** A file within a file. */
  private inner(name: string, bytes: Uint8Array, depth: number): Promise<void> {
    if (depth > this.limits.depth) {
      this.sink.left(`files more than ${this.limits.depth} deep in one another (${name})`);
      return Promise.resolve();
    }
    return this.at(name, async () => {
      this.piece('title', `${name}\n`);
      await this.file(bytes, depth, name);
    });
  }

  private gzip(bytes: Uint8Array, depth: number, within: string): Promise<void> {
    const most = this.most(bytes.length);
    const chunks: Uint8Array[] = [];
    let total = 0;
    let swells = false;
    const gunzip = new Gunzip((chunk) => {
      total += chunk.length;
      if (total > most) swells = true;
      else chunks.push(chunk);
    });
    try {
      for (let at = 0; at < bytes.length && !swells; at += 16_384)
        gunzip.push(bytes.subarray(at, at + 16_384), at + 16_384 >= bytes.length);
    } catch {
      this.sink.left('an archive is damaged');
    }
    if (swells) this.sink.left('an archive that swells beyond all measure');
    if (depth >= this.limits.depth) {
      this.sink.left(`files more than ${this.limits.depth} deep in one another${within && ` (${within})`}`);
      return Promise.resolve();
    }
    return this.file(Buffer.concat(chunks), depth + 1, within);
  }

  private most(packed: number): number {
    return Math.min(this.limits.unpacked, Math.max(packed * this.limits.swelling, 16 * 2 ** 20));
  }

  private markup(source: string, options: MarkupOptions): ReturnType<typeof markupText> {
    return markupText(source, options, this.deep);
  }
  private each(source: string, name: string, visit: Parameters<typeof eachElement>[2]): void {
    eachElement(source, name, visit, this.deep);
  }
  /** Whether markup is nested too deep to be read on; said once. */
  private readonly deep = (depth: number): boolean => {
    const { nesting } = this.limits;
    if (depth === nesting + 1) this.sink.left(`markup nested more than ${nesting} deep`);
    return depth > nesting;
  };

  private html(source: string): void {
    const { text, noted } = this.markup(source, { xml: false });
    this.piece('body', text);
    this.piece('metadata', noted);
  }

  private async zip(bytes: Uint8Array, depth: number, within: string): Promise<void> {
    if (depth >= this.limits.depth)
      return this.sink.left(
        `files more than ${this.limits.depth} deep in one another${within && ` (${within})`}`,
      );
    const files = this.unpack(bytes);
    if (!files) return;
    const names = [...files.keys()];
    const has = (name: string): boolean => files.has(name);
    const xml = (name: string): string => (has(name) ? decodeText(files.get(name)!) : '');
    const office = await this.office(has, names, xml);
    for (const [name, inner] of files)
      if (!office || /^(?:word|xl|ppt)\/embeddings\/|^Object[^/]*\/content\.xml$/.test(name))
        await this.inner(name, inner, depth + 1);
  }

  /** Reads an archive that is an office document; false where it is none. */
  private async office(
    has: (name: string) => boolean,
    names: string[],
    xml: (name: string) => string,
  ): Promise<boolean> {
    if (has('word/document.xml')) this.wordProcessor(names, xml);
    else if (has('xl/workbook.xml')) await this.workbook(names, xml);
    else if (has('ppt/presentation.xml')) await this.slides(names, xml);
    else if (has('content.xml') && has('mimetype')) this.openDocument(names, xml);
    else return false;
    return true;
  }

  /** The files of an archive, or nothing where it is none that can be unpacked. */
  private unpack(bytes: Uint8Array): Map<string, Uint8Array> | undefined {
    const files = new Map<string, Uint8Array>();
    const { entries } = this.limits;
    const most = this.most(bytes.length);
    let total = 0;
    let stopped = '';
    const unzip = new Unzip((entry) => {
      if (stopped || entry.name.endsWith('/')) return;
      if (files.size >= entries) {
        stopped = `only the first ${entries} files of an archive`;
        return;
      }
      const chunks: Uint8Array[] = [];
      entry.ondata = (error, chunk, final) => {
        if (error) stopped ||= 'an archive is damaged';
        else if (!stopped && (total += chunk.length) > most) {
          stopped = 'an archive that swells beyond all measure';
          entry.terminate();
        }
        if (stopped) return;
        chunks.push(chunk);
        if (final) files.set(entry.name, Buffer.concat(chunks));
      };
      try {
        entry.start();
      } catch {
        stopped ||= 'an archive is locked or packed in a way that is not read';
      }
    });
    unzip.register(UnzipInflate);
    try {
      // in small pieces, so that one that swells is stopped while it does
      for (let at = 0; at < bytes.length && !stopped; at += 16_384)
        unzip.push(bytes.subarray(at, at + 16_384), at + 16_384 >= bytes.length);
    } catch {
      stopped ||= 'an archive is damaged';
    }
    if (stopped) this.sink.left(stopped);
    return files.size ? files : undefined;
  }

  /** ECMA-376 part 1, WordprocessingML. */
  private wordProcessor(names: string[], xml: (name: string) => string): void {
    for (const name of names) {
      if (/^word\/(?:document|header\d*|footer\d*|footnotes|endnotes)\.xml$/.test(name)) {
        const { text, changed } = this.markup(xml(name), {
          xml: true,
          changes: /^w:(?:ins|del|moveFrom|moveTo)$/,
          breaks: /^w:(?:p|br|tab|tr)$/,
        });
        this.piece('body', text);
        this.piece('suggestion', changed);
      } else if (/^word\/comments\w*\.xml$/.test(name))
        this.piece('comment', this.markup(xml(name), { xml: true, breaks: /^w:p$/ }).text);
      else this.properties(name, xml);
    }
  }

  /** ECMA-376 part 1, PresentationML: slides, their notes and comments. */
  private async slides(names: string[], xml: (name: string) => string): Promise<void> {
    for (const name of names) {
      const slide = /^ppt\/(?:slides\/slide|notesSlides\/notesSlide)(\d+)\.xml$/.exec(name);
      if (slide) {
        const source = xml(name);
        const hidden = /<p:sld[^>]{0,4000}\sshow="(?:0|false)"/.test(source);
        const notes = name.includes('notes');
        await this.at(`${notes ? 'speaker notes' : hidden ? 'hidden slide' : 'slide'} ${slide[1]}`, () =>
          this.piece('body', this.markup(source, { xml: true, breaks: /^a:(?:p|br)$/ }).text),
        );
      } else if (/^ppt\/comments\//.test(name))
        this.piece('comment', this.markup(xml(name), { xml: true, breaks: /^p\w*:(?:text|cm)$/ }).text);
      else this.properties(name, xml);
    }
  }

  /** ECMA-376 part 1, SpreadsheetML: sheets, hidden ones too. */
  private async workbook(names: string[], xml: (name: string) => string): Promise<void> {
    const shared: string[] = [];
    this.each(xml('xl/sharedStrings.xml'), 'si', (text) => void shared.push(text));
    const targets = new Map<string, string>();
    this.each(xml('xl/_rels/workbook.xml.rels'), 'Relationship', (_, a) => {
      targets.set(a.Id ?? '', (a.Target ?? '').replace(/^\/?(?:xl\/)?/, 'xl/'));
    });
    const sheets = new Map<string, string>();
    this.each(xml('xl/workbook.xml'), 'sheet', (_, a) => {
      const file = targets.get(a['r:id'] ?? '');
      if (file) sheets.set(file, `${/idden$/.test(a.state ?? '') ? 'hidden ' : ''}sheet ${a.name ?? ''}`);
    });
    for (const name of names) {
      if (/^xl\/worksheets\/[^/]+\.xml$/.test(name))
        await this.at(sheets.get(name) ?? 'sheet', () =>
          eachTable(
            xml(name),
            { table: 'sheetData', row: 'row', cell: 'c', repeated: '', shared },
            (rows) => this.table(rows),
            this.deep,
          ),
        );
      else if (/^xl\/(?:comments|threadedComments\/)/.test(name))
        this.piece(
          'comment',
          this.markup(xml(name), { xml: true, breaks: /^(?:comment|threadedComment|text)$/ }).text,
        );
      else this.properties(name, xml);
    }
  }

  /** OASIS OpenDocument 1.3: text, slides, and spreadsheets; changes and annotations apart. */
  private openDocument(names: string[], xml: (name: string) => string): void {
    const sheets = xml('mimetype').includes('spreadsheet');
    const { text, changed, noted } = this.markup(xml('content.xml'), {
      xml: true,
      changes: /^text:tracked-changes$/,
      notes: /^office:annotation$/,
      breaks: /^(?:text:p|text:h|text:tab|text:line-break|table:table-cell)$/,
    });
    if (sheets)
      eachTable(
        xml('content.xml'),
        {
          table: 'table:table',
          row: 'table:table-row',
          cell: 'table:table-cell',
          repeated: 'table:number-columns-repeated',
          without: 'office:annotation',
        },
        (rows) => this.table(rows),
        this.deep,
      );
    else this.piece('body', text);
    this.piece('suggestion', changed);
    this.piece('comment', noted);
    for (const name of names) {
      if (name === 'styles.xml')
        this.piece('body', this.markup(xml(name), { xml: true, breaks: /^text:p$/ }).text);
      if (name === 'meta.xml')
        this.piece('metadata', this.markup(xml(name), { xml: true, breaks: /./ }).text);
    }
  }

  private properties(name: string, xml: (name: string) => string): void {
    if (/^docProps\/(?:core|app|custom)\.xml$/.test(name))
      this.piece('metadata', this.markup(xml(name), { xml: true, breaks: /./ }).text);
  }
}
