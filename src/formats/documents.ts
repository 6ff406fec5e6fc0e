/**
 * What documents say: the text of a file by its parts, whatever its name is. Kinds are told by their
 * first bytes. Everything is bounded, and what was not read is said.
 */
import { Unzip, UnzipInflate } from 'fflate';
import { Parser } from 'htmlparser2';
import type { Part } from '../core/model.ts';

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
}

/** Takes the pieces of one document, and what could not be read of it. */
export interface DocumentSink {
  piece(piece: Piece): void;
  /** Something was left out; in words. */
  left(reason: string): void;
}

/** Kinds by their first bytes (the formats' own specifications). */
export type DocumentKind =
  'zip' | 'pdf' | 'rtf' | 'html' | 'image' | 'old-office' | 'gzip' | 'text' | 'unknown';

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
  return odd > head.length / 100 ? 'unknown' : 'text';
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

/** Reads a whole file. `name` is told of in what is left out, and never decides what the file is. */
export function readDocument(
  bytes: Uint8Array,
  sink: DocumentSink,
  limits: DocumentLimits = DOCUMENT_LIMITS,
): void {
  new Reader(sink, limits).file(bytes, 0, '');
}

class Reader {
  private text = 0;
  private full = false;

  constructor(
    private readonly sink: DocumentSink,
    private readonly limits: DocumentLimits,
  ) {}

  private piece(part: Part, text: string, heading?: string): void {
    if (!text || this.full) return;
    const room = this.limits.text - this.text;
    if (text.length > room) {
      this.full = true;
      this.sink.left(`only the first ${Math.round(this.limits.text / 2 ** 20)} MB of its text`);
    }
    this.text += text.length;
    this.sink.piece({ part, text: text.slice(0, room), ...(heading && { heading }) });
  }

  file(bytes: Uint8Array, depth: number, within: string): void {
    const where = within ? ` (${within})` : '';
    switch (kindOf(bytes)) {
      case 'zip':
        return this.zip(bytes, depth, within);
      case 'html':
        return this.html(decodeText(bytes));
      case 'rtf':
        return this.piece('body', rtfText(new TextDecoder('latin1').decode(bytes)));
      case 'text':
        return this.piece('body', decodeText(bytes));
      case 'pdf':
        return this.sink.left(`PDF is not read yet${where}`);
      case 'image':
        return this.sink.left(`pictures are not read${where}`);
      case 'old-office':
        return this.sink.left(`the office formats of before 2007 are not read${where}`);
      case 'gzip':
        return this.sink.left(`gzip is not unpacked${where}`);
      default:
        return this.sink.left(`it is of no kind that is read${where}`);
    }
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
    this.piece('body', this.markup(source, { xml: false }).text);
  }

  private zip(bytes: Uint8Array, depth: number, within: string): void {
    if (depth >= this.limits.depth)
      return this.sink.left(`archives more than ${this.limits.depth} deep${within && ` (${within})`}`);
    const files = this.unpack(bytes);
    if (!files) return;
    const names = [...files.keys()];
    const has = (name: string): boolean => files.has(name);
    const xml = (name: string): string => decodeText(files.get(name)!);
    if (has('word/document.xml')) return this.wordProcessor(names, xml);
    if (has('xl/workbook.xml')) return this.workbook(names, xml);
    if (has('ppt/presentation.xml')) return this.slides(names, xml);
    if (has('content.xml') && has('mimetype')) return this.openDocument(names, xml);
    for (const [name, inner] of files) {
      this.piece('title', `${name}\n`);
      this.file(inner, depth + 1, name);
    }
  }

  /** The files of an archive, or nothing where it is none that can be unpacked. */
  private unpack(bytes: Uint8Array): Map<string, Uint8Array> | undefined {
    const files = new Map<string, Uint8Array>();
    const { unpacked, swelling, entries } = this.limits;
    const most = Math.min(unpacked, Math.max(bytes.length * swelling, 16 * 2 ** 20));
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
  private slides(names: string[], xml: (name: string) => string): void {
    for (const name of names) {
      if (/^ppt\/(?:slides\/slide|notesSlides\/notesSlide)\d+\.xml$/.test(name))
        this.piece('body', this.markup(xml(name), { xml: true, breaks: /^a:(?:p|br)$/ }).text);
      else if (/^ppt\/comments\//.test(name))
        this.piece('comment', this.markup(xml(name), { xml: true, breaks: /^p\w*:(?:text|cm)$/ }).text);
      else this.properties(name, xml);
    }
  }

  /** ECMA-376 part 1, SpreadsheetML: sheets, hidden ones too, each column under the heading in its first row. */
  private workbook(names: string[], xml: (name: string) => string): void {
    const shared: string[] = [];
    if (names.includes('xl/sharedStrings.xml'))
      this.each(xml('xl/sharedStrings.xml'), 'si', (text) => void shared.push(text));
    for (const name of names) {
      if (/^xl\/worksheets\/[^/]+\.xml$/.test(name)) this.sheet(xml(name), shared);
      else if (/^xl\/(?:comments|threadedComments\/)/.test(name))
        this.piece(
          'comment',
          this.markup(xml(name), { xml: true, breaks: /^(?:comment|threadedComment|text)$/ }).text,
        );
      else this.properties(name, xml);
    }
  }

  private sheet(source: string, shared: readonly string[]): void {
    const columns = new Map<string, string[]>();
    this.each(source, 'c', (text, attributes, inner) => {
      const value = attributes.t === 's' ? (shared[Number(inner.v ?? text)] ?? '') : (inner.v ?? text);
      const column = /^[A-Z]{1,3}/.exec(attributes.r ?? '')?.[0] ?? '';
      if (value) (columns.get(column) ?? columns.set(column, []).get(column)!).push(value);
    });
    for (const [, cells] of columns) {
      const heading = /\d/.test(cells[0]!) ? undefined : cells[0];
      this.piece('body', `${cells.join('\n')}\n`, heading);
    }
  }

  /** OASIS OpenDocument 1.3: text, tables, slides; changes and annotations apart. */
  private openDocument(names: string[], xml: (name: string) => string): void {
    const { text, changed, noted } = this.markup(xml('content.xml'), {
      xml: true,
      changes: /^text:tracked-changes$/,
      notes: /^office:annotation$/,
      breaks: /^(?:text:p|text:h|text:tab|text:line-break|table:table-cell)$/,
    });
    this.piece('body', text);
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

class TooDeep extends Error {}
/** Goes through markup to its end, or to where it is nested too deep: what was met by then counts. */
function parse(parser: Parser, source: string): void {
  try {
    parser.end(source);
  } catch (e) {
    if (!(e instanceof TooDeep)) throw e;
  }
}

interface MarkupOptions {
  xml: boolean;
  /** Elements whose text is a change that somebody proposes, or a note. */
  changes?: RegExp;
  notes?: RegExp;
  /** Elements that end a line; of HTML, those that do. */
  breaks?: RegExp;
}
const HTML_BREAKS =
  /^(?:p|div|br|li|tr|td|th|h[1-6]|table|ul|ol|section|article|option|title|pre|blockquote)$/;

/** The text of markup, broken into lines where its elements break; scripts and styles left out. */
function markupText(
  source: string,
  { xml, changes, notes, breaks = HTML_BREAKS }: MarkupOptions,
  deep: (depth: number) => boolean,
): { text: string; changed: string; noted: string } {
  const out = { text: [] as string[], changed: [] as string[], noted: [] as string[] };
  let inChange = 0;
  let inNote = 0;
  let silent = 0;
  const here = (): string[] => (inNote ? out.noted : inChange ? out.changed : out.text);
  let depth = 0;
  const parser = new Parser(
    {
      onopentagname(name) {
        if (deep(++depth)) throw new TooDeep();
        if (changes?.test(name)) inChange++;
        if (notes?.test(name)) inNote++;
        if (!xml && (name === 'script' || name === 'style')) silent++;
        if (breaks.test(name)) here().push('\n');
      },
      onclosetag(name) {
        depth--;
        if (breaks.test(name)) here().push('\n');
        if (changes?.test(name)) inChange--;
        if (notes?.test(name)) inNote--;
        if (!xml && (name === 'script' || name === 'style')) silent--;
      },
      ontext(text) {
        if (!silent) here().push(text);
      },
    },
    { xmlMode: xml, decodeEntities: true },
  );
  parse(parser, source);
  const joined = (list: string[]): string => list.join('').replace(/\n{2,}/g, '\n');
  return { text: joined(out.text), changed: joined(out.changed), noted: joined(out.noted) };
}

/** Calls `visit` with the text, attributes and inner elements' text of every element of a name. */
function eachElement(
  source: string,
  name: string,
  visit: (text: string, attributes: Record<string, string>, inner: Record<string, string>) => void,
  deep: (depth: number) => boolean,
): void {
  let open: { text: string; attributes: Record<string, string>; inner: Record<string, string> } | undefined;
  let child = '';
  let depth = 0;
  const parser = new Parser(
    {
      onopentag(tag, attributes) {
        if (deep(++depth)) throw new TooDeep();
        if (tag === name) open = { text: '', attributes, inner: {} };
        else child = tag;
      },
      ontext(text) {
        if (!open) return;
        open.text += text;
        if (child) open.inner[child] = (open.inner[child] ?? '') + text;
      },
      onclosetag(tag) {
        depth--;
        child = '';
        if (tag !== name || !open) return;
        visit(open.text, open.attributes, open.inner);
        open = undefined;
      },
    },
    { xmlMode: true, decodeEntities: true },
  );
  parse(parser, source);
}

/** Text of Rich Text Format 1.9.1: groups that are not for reading left out, characters by code put in. */
function rtfText(source: string): string {
  const out: string[] = [];
  const hidden: boolean[] = [];
  let hide = false;
  // each step takes at least one character and looks at a bounded number more
  const token =
    /\\u(-?\d{1,6})[ ?]?|\\'([0-9a-f]{2})|\\([a-z]{1,32})(-?\d{1,10})? ?|\\([^a-z])|([{}])|([^\\{}]{1,65536})/giy;
  const skipped =
    /^(?:fonttbl|colortbl|stylesheet|info|pict|object|themedata|datastore|latentstyles|generator|xmlnstbl|listtable|rsidtbl)$/;
  for (let m = token.exec(source); m; m = token.exec(source)) {
    const [, unicode, byte, word, , symbol, brace, plain] = m;
    if (brace === '{') hidden.push(hide);
    else if (brace === '}') hide = hidden.pop() ?? false;
    else if (word && skipped.test(word)) hide = true;
    else if (symbol === '*') hide = true;
    else if (!hide) {
      if (unicode) out.push(String.fromCharCode(Number(unicode) & 0xffff));
      else if (byte) out.push(new TextDecoder('windows-1252').decode(Uint8Array.of(parseInt(byte, 16))));
      else if (word === 'par' || word === 'line' || word === 'cell' || word === 'row') out.push('\n');
      else if (word === 'tab') out.push('\t');
      else if (symbol) out.push(symbol === '~' ? '\u00a0' : symbol);
      else if (plain) out.push(plain.replace(/[\r\n]/g, ''));
    }
  }
  return out.join('');
}
