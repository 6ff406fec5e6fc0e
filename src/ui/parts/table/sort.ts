/** Sorting rows that are all in the page, by several keys. */

/** What a row is sorted by; text is compared without regard to case or accents, and what is absent comes last. */
export type SortValue = string | number | boolean | null | undefined;
export interface SortKey<Row> {
  value: (row: Row) => SortValue;
  down: boolean;
}

/** So many letters are compared as one number before the rest is looked at. */
const PREFIX = 6;

const folded = (text: string): string =>
  /^[\x20-\x7e]*$/.test(text)
    ? text.toLowerCase()
    : text
        .normalize('NFD')
        .replace(/[\u0300-\u036f]/g, '')
        .toLowerCase();

/** The first letters as a number that is in their order; from one that takes more than a byte on, they count alike. */
function prefixOf(text: string): number {
  let n = 0;
  let wide = false;
  for (let k = 0; k < PREFIX; k++) {
    const unit: number = wide || k >= text.length ? 0 : Math.min(255, text.charCodeAt(k));
    wide ||= unit === 255;
    n = n * 256 + unit;
  }
  return n;
}

interface Column {
  numbers: Float64Array;
  texts?: string[];
  down: boolean;
}

/** The rows in order, by the first key, then by the others; rows that are alike stay as they were. */
export function sortRows<Row>(rows: readonly Row[], keys: readonly SortKey<Row>[]): Row[] {
  if (!keys.length) return [...rows];
  const columns = keys.map(({ value, down }): Column => {
    const numbers = new Float64Array(rows.length);
    let texts: string[] | undefined;
    rows.forEach((row, i) => {
      const v = value(row);
      if (typeof v === 'string' && v !== '') {
        texts ??= new Array<string>(rows.length).fill('');
        texts[i] = folded(v);
        numbers[i] = prefixOf(texts[i]);
      } else numbers[i] = v === null || v === undefined || v === '' || Number.isNaN(v) ? NaN : Number(v);
    });
    return { numbers, down, ...(texts && { texts }) };
  });
  const order = Uint32Array.from(rows.keys());
  order.sort((a, b) => {
    for (const { numbers, texts, down } of columns) {
      const [x, y] = [numbers[a]!, numbers[b]!];
      if (x !== y) {
        // what is absent is last whichever way round
        if (Number.isNaN(x)) {
          if (Number.isNaN(y)) continue;
          return 1;
        }
        if (Number.isNaN(y)) return -1;
        return down ? y - x : x - y;
      }
      if (!texts) continue;
      const [s, t] = [texts[a]!, texts[b]!];
      if (s !== t) return s < t === down ? 1 : -1;
    }
    return a - b;
  });
  return Array.from(order, (i) => rows[i]!);
}
