/** Text that has a structure: tables with separators (RFC 4180 and kin), JSON (RFC 8259). */

const SEPARATORS = [',', ';', '\t', '|'] as const;
/** A quoted cell longer than this is no quoted cell. */
const CELL = 1 << 16;
const SAMPLE = 1 << 14;

/** The separator of a table, where a text is one: its first lines have the same number of cells, two at least. */
export function separatorOf(text: string): string | undefined {
  let sample = text.slice(0, SAMPLE);
  if (sample.length < text.length) sample = sample.slice(0, sample.lastIndexOf('\n') + 1);
  let best: { separator: string; columns: number } | undefined;
  for (const separator of SEPARATORS) {
    const rows: string[][] = [];
    for (const row of tableRows(sample, separator)) {
      rows.push(row);
      if (rows.length === 50) break;
    }
    const columns = rows[0]?.length ?? 0;
    const same = rows.filter((r) => r.length === columns).length;
    // in running text commas fall as they fall, and stretches between them are long
    if (columns < 2 || rows.length < 3 || same < rows.length * 0.9) continue;
    if (rows[0]!.some((cell) => cell.length > 60)) continue;
    if (!best || columns > best.columns) best = { separator, columns };
  }
  return best?.separator;
}

/**
 * The rows of a table, empty lines left out. A quote that is never closed is a character like any
 * other. Linear in the text: what is gone through in vain for quotes is bounded by its length.
 */
export function* tableRows(text: string, separator: string): Generator<string[]> {
  let row: string[] = [];
  let at = text.startsWith('\uFEFF') ? 1 : 0;
  let quote = -2;
  let inVain = 0;
  const quoteFrom = (from: number): number => {
    if (quote !== -1 && quote < from) quote = text.indexOf('"', from);
    return quote;
  };
  /** Where the quoted cell that begins at a place ends, after its closing quote; 0 where it is none. */
  const quotedTo = (from: number): number => {
    if (inVain > text.length * 4) return 0;
    for (let e = quoteFrom(from + 1); e >= 0 && e - from <= CELL; e = quoteFrom(e + 2)) {
      const next = text[e + 1];
      if (next === '"') continue;
      if (next === undefined || next === separator || next === '\n' || next === '\r') return e + 1;
      break;
    }
    inVain += Math.min(CELL, Math.max(1, quote - from));
    quote = -2;
    return 0;
  };
  while (at < text.length) {
    let end = text[at] === '"' ? quotedTo(at) : 0;
    if (end) row.push(text.slice(at + 1, end - 1).replaceAll('""', '"'));
    else {
      end = at;
      while (end < text.length && text[end] !== separator && text[end] !== '\n' && text[end] !== '\r') end++;
      row.push(text.slice(at, end));
    }
    if (text[end] === separator) {
      at = end + 1;
      if (at < text.length && text[at] !== '\n' && text[at] !== '\r') continue;
      row.push('');
      end = at;
    }
    if (row.length > 1 || row[0]) yield row;
    row = [];
    at = end + (text[end] === '\r' && text[end + 1] === '\n' ? 2 : 1);
  }
}

/** Whether a text begins as JSON does; lines of JSON too. */
export const looksLikeJson = (head: string): boolean =>
  /^\uFEFF?\s{0,1000}(?:\{\s{0,1000}["}]|\[\s{0,1000}(?:["[{\]\d-]|true\b|false\b|null\b))/.test(head);

const ESCAPES: Record<string, string> = { n: '\n', r: '\r', t: '\t', b: ' ', f: ' ' };

/**
 * JSON as it reads: names as words and a colon, what is escaped as what it stands for. Not parsed:
 * one that is cut short or nested a million deep reads as far as it goes.
 */
export function jsonText(source: string): string {
  const out: string[] = [];
  let at = 0;
  for (let open = source.indexOf('"'); open >= 0; open = source.indexOf('"', at)) {
    out.push(source.slice(at, open).replace(/[[\]{}]+/g, ' '));
    let end = open + 1;
    let escaped = false;
    while (end < source.length && source[end] !== '"') {
      if (source[end] === '\\') {
        escaped = true;
        end++;
      }
      end++;
    }
    let value = source.slice(open + 1, end);
    if (escaped)
      value = value.replace(/\\(?:u([0-9a-fA-F]{4})|(.))/gs, (_, code?: string, one?: string) =>
        code ? String.fromCharCode(parseInt(code, 16)) : (ESCAPES[one!] ?? one!),
      );
    at = end + 1;
    out.push(isName(source, at) ? words(value) : value);
  }
  out.push(source.slice(at));
  return out.join('');
}

function isName(source: string, at: number): boolean {
  while (source[at] === ' ') at++;
  return source[at] === ':';
}

/** `cardNumber` and `card_number` as “card Number” and “card number”. */
export const words = (name: string): string =>
  name.length > 200 ? name : name.replace(/_/g, ' ').replace(/([a-z])([A-Z])/g, '$1 $2');
