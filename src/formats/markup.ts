/** The text of marked-up documents: XML, HTML, RTF. Whatever is nested too deep is left, and said by who asks. */
import { Parser } from 'htmlparser2';

/** Whether an element at a depth is too deep to be read on from. */
type TooDeepAt = (depth: number) => boolean;

class TooDeep extends Error {}
/** Goes through markup to its end, or to where it is nested too deep: what was met by then counts. */
function parse(parser: Parser, source: string): void {
  try {
    parser.end(source);
  } catch (e) {
    if (!(e instanceof TooDeep)) throw e;
  }
}

export interface MarkupOptions {
  xml: boolean;
  /** Elements whose text is a change that somebody proposes, or a note. */
  changes?: RegExp;
  notes?: RegExp;
  /** Elements that end a line; of HTML, those that do. */
  breaks?: RegExp;
}
const HTML_BREAKS =
  /^(?:p|div|br|li|tr|td|th|h[1-6]|table|ul|ol|section|article|option|title|pre|blockquote)$/;

/** Of a page: what it says without showing it. */
const READ_ATTRIBUTES = /^(?:content|alt|title|value|placeholder|href)$/;

/** The text of markup, broken into lines where its elements break; scripts and styles left out. */
export function markupText(
  source: string,
  { xml, changes, notes, breaks = HTML_BREAKS }: MarkupOptions,
  deep: TooDeepAt,
): { text: string; changed: string; noted: string } {
  const out = { text: [] as string[], changed: [] as string[], noted: [] as string[] };
  let inChange = 0;
  let inNote = 0;
  let silent = 0;
  const here = (): string[] => (inNote ? out.noted : inChange ? out.changed : out.text);
  let depth = 0;
  const parser = new Parser(
    {
      onattribute(name, value) {
        if (!xml && READ_ATTRIBUTES.test(name)) out.noted.push(value, '\n');
      },
      oncomment(text) {
        if (!xml) out.noted.push(text, '\n');
      },
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

/** Calls `visit` with the text and attributes of every element of a name. */
export function eachElement(
  source: string,
  name: string,
  visit: (text: string, attributes: Record<string, string>) => void,
  deep: TooDeepAt,
): void {
  let open: { text: string; attributes: Record<string, string> } | undefined;
  let depth = 0;
  const parser = new Parser(
    {
      onopentag(tag, attributes) {
        if (deep(++depth)) throw new TooDeep();
        if (tag === name) open = { text: '', attributes };
      },
      ontext(text) {
        if (open) open.text += text;
      },
      onclosetag(tag) {
        depth--;
        if (tag !== name || !open) return;
        visit(open.text, open.attributes);
        open = undefined;
      },
    },
    { xmlMode: true, decodeEntities: true },
  );
  parse(parser, source);
}

/** Text of Rich Text Format 1.9.1: groups that are not for reading left out, characters by code put in. */
export function rtfText(source: string): string {
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

export interface TableMarkup {
  table: string;
  row: string;
  cell: string;
  /** The attribute that says for how many cells one stands; '' where none does. */
  repeated: string;
  /** An element in cells whose text is not theirs. */
  without?: string;
  /** Texts that cells of type `s` point to. */
  shared?: readonly string[];
}
/** Cells that an empty one may stand for, and columns of a sheet. */
const COLUMNS = 16_384;

/** Calls `visit` with the rows of each table. Cells say by `r` (“C7”) in which column they are, or follow one another. */
export function eachTable(
  source: string,
  { table, row, cell, repeated, without, shared }: TableMarkup,
  visit: (rows: string[][]) => void,
  deep: TooDeepAt,
): void {
  let rows: string[][] = [];
  let cells: string[] = [];
  let column = 0;
  let times = 1;
  let open = false;
  let shares = false;
  let silent = 0;
  let formula = false;
  let text = '';
  let depth = 0;
  const parser = new Parser(
    {
      onopentag(tag, a) {
        if (deep(++depth)) throw new TooDeep();
        if (tag === row) {
          cells = [];
          column = 0;
        } else if (tag === cell) {
          open = true;
          text = '';
          shares = a.t === 's';
          times = Math.min(COLUMNS, Number((repeated && a[repeated]) || 1) || 1);
          const letters = /^[A-Z]{1,3}/.exec(a.r ?? '')?.[0];
          if (letters) column = [...letters].reduce((n, c) => n * 26 + c.charCodeAt(0) - 64, 0) - 1;
        } else if (tag === without) silent++;
        else if (tag === 'f') formula = true;
        else if (open && text && (tag === 'text:p' || tag === 'v')) text += ' ';
      },
      ontext(piece) {
        if (open && !silent && !formula) text += piece;
      },
      onclosetag(tag) {
        depth--;
        if (tag === without) silent--;
        else if (tag === 'f') formula = false;
        else if (tag === cell && open) {
          open = false;
          const value = shares ? (shared?.[Number(text)] ?? '') : text;
          if (value && column < COLUMNS) {
            while (cells.length < column) cells.push('');
            for (let k = 0; k < Math.min(times, 100); k++) cells.push(value);
          }
          column += times;
        } else if (tag === row && cells.length) rows.push(cells);
        else if (tag === table) {
          if (rows.length) visit(rows);
          rows = [];
        }
      },
    },
    { xmlMode: true, decodeEntities: true },
  );
  parse(parser, source);
  if (rows.length) visit(rows);
}
