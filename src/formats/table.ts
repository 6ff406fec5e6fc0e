/** Tables as files to take away: CSV (RFC 4180) that no spreadsheet runs, and JSON Lines. */

export type Cell = string | number | boolean | null | undefined;

/**
 * One cell. What a spreadsheet would take for a formula is led by an apostrophe (common practice), and
 * what holds a separator, a quote or a line break is quoted.
 */
export function csvCell(value: Cell): string {
  if (value === null || value === undefined) return '';
  let text = String(value);
  if (typeof value === 'string' && /^[\s\0]*[=+\-@\t\r]/.test(text)) text = `'${text}`;
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

export const csvLine = (cells: readonly Cell[]): string => `${cells.map(csvCell).join(',')}\r\n`;
