/** Tables as files to take away: CSV (RFC 4180) that no spreadsheet runs, and JSON Lines. */

export type Cell = string | number | boolean | null | undefined;

/** What a spreadsheet passes over, or takes away, before it looks for a formula: blanks, quotes and characters without a width. */
const UNSEEN = '["\\s\\0\\p{Z}\\p{Cf}\\p{Cc}]*';
/** The beginnings of a formula, also in full width. */
const FORMULA = `${UNSEEN}[=+\\-@\uFF1D\uFF0B\uFF0D\uFF20\uFE62\uFE63\uFE66\uFE6B\\t\\r]`;
const LEADS = new RegExp(`^${FORMULA}`, 'u');
/** After what parts cells elsewhere, where a comma is part of a number: quotes do not help there. */
const INNER = new RegExp(`([;|\\t\\n\\r])(?=${FORMULA})`, 'gu');

/**
 * One cell. What a spreadsheet would take for a formula is led by an apostrophe (common practice), within a text too
 * where a spreadsheet of another locale would begin a cell; what holds a separator, a quote or a line break is quoted.
 */
export function csvCell(value: Cell): string {
  if (value === null || value === undefined) return '';
  let text = String(value);
  if (typeof value === 'string') text = (LEADS.test(text) ? `'${text}` : text).replace(INNER, "$1'");
  return /[",;|\t\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

export const csvLine = (cells: readonly Cell[]): string => `${cells.map(csvCell).join(',')}\r\n`;
