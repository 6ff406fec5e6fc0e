/**
 * Sorting rows that are all in the page, by several keys: a hundred thousand within the time of a press. Rows are
 * sorted by parts of their keys as whole numbers, which the engine of the browser sorts by itself; those that are
 * alike so far are sorted by the next part (most significant digit first).
 */

/** What a row is sorted by; text is compared without regard to case or accents, and what is absent comes last. */
export type SortValue = string | number | boolean | null | undefined;
export interface SortKey<Row> {
  value: (row: Row) => SortValue;
  down: boolean;
}

/** A part of a key is a number below this; with the number of its row it fills 64 bits. */
const PART = 2 ** 40;
const MOST_ROWS = 2 ** 24;

const folded = (text: string): string =>
  /^[\x20-\x7e]*$/.test(text)
    ? text.toLowerCase()
    : text
        .normalize('NFD')
        .replace(/[\u0300-\u036f]/g, '')
        .toLowerCase();

/** Gives the part of a key at a depth, by row; undefined where there is none so deep. */
type PartAt = (row: number, depth: number) => number | undefined;

/** The part of what is absent: after every other, whichever way these go. */
const LAST = PART - 1;

/** Text by its letters, or numbers by the bits of a double; what is absent last. */
function partsOf(values: readonly SortValue[], down: boolean): PartAt {
  const absent = values.map((v) => v === null || v === undefined || v === '' || Number.isNaN(v));
  // no letter folds to 0xff, and no number has only ones in front: a part is never LAST, and never below 0 turned round
  const way = (n: number): number => (down ? LAST - 1 - n : n);
  if (values.some((v, i) => typeof v === 'string' && !absent[i])) {
    const texts = values.map((v, i) => (absent[i] ? '' : folded(String(v))));
    // five letters of a byte each, or two of any
    const [letters, size] = texts.some((t) => /[^\0-\xff]/.test(t)) ? [2, 2 ** 16] : [5, 2 ** 8];
    return (row, depth) => {
      const text = texts[row]!;
      const from = depth * letters;
      if (absent[row]) return depth === 0 ? LAST : undefined;
      if (from > text.length) return undefined;
      let part = 0;
      for (let k = from; k < from + letters; k++)
        part = part * size + (k < text.length ? text.charCodeAt(k) : 0);
      return way(part);
    };
  }
  // the bits of a double are in the order of the numbers once those below zero are turned round (IEEE 754)
  const bits = new Uint32Array(Float64Array.from(values, (v, i) => (absent[i] ? 0 : Number(v) + 0)).buffer);
  let fine = false;
  for (let i = 0; i < bits.length; i += 2) {
    fine ||= (bits[i]! & 0xffffff) !== 0;
    const below = bits[i + 1]! >>> 31 === 1;
    bits[i] = below ? ~bits[i]! : bits[i]!;
    bits[i + 1] = below ? ~bits[i + 1]! : bits[i + 1]! | (2 ** 31);
  }
  return (row, depth) => {
    if (depth > (fine ? 1 : 0)) return undefined;
    if (absent[row]) return LAST;
    const low = bits[2 * row]!;
    return way(depth === 0 ? bits[2 * row + 1]! * 2 ** 8 + (low >>> 24) : low & 0xffffff);
  };
}

/** The rows in order, by the first key, then by the others; rows that are alike stay as they were. */
export function sortRows<Row>(rows: readonly Row[], keys: readonly SortKey<Row>[]): Row[] {
  if (rows.length > MOST_ROWS)
    throw new RangeError(`More rows than ${MOST_ROWS} are not sorted in the page.`);
  const parts = keys.map(({ value, down }) => partsOf(rows.map(value), down));
  const order = Uint32Array.from(rows.keys());
  const numbers = new BigUint64Array(rows.length);
  const words = new Uint32Array(numbers.buffer);
  const waiting = keys.length ? [{ from: 0, to: rows.length, key: 0, depth: 0 }] : [];
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    const { from, to, key, depth } = next;
    const partAt = parts[key]!;
    let deeper = false;
    for (let i = from; i < to; i++) {
      const row = order[i]!;
      const part = partAt(row, depth);
      deeper ||= part !== undefined;
      // a text that has ended has no further part, and all that are compared with it have ended too
      const n = part ?? 0;
      words[2 * i] = ((n % 2 ** 8) * MOST_ROWS + row) >>> 0;
      words[2 * i + 1] = Math.floor(n / 2 ** 8);
    }
    if (!deeper) {
      if (key + 1 < parts.length) waiting.push({ from, to, key: key + 1, depth: 0 });
      continue;
    }
    numbers.subarray(from, to).sort();
    for (let i = from; i < to; i++) order[i] = words[2 * i]! % MOST_ROWS;
    // those that are alike in this part, by the next
    for (let i = from; i < to;) {
      let end = i + 1;
      const [low, high] = [Math.floor(words[2 * i]! / MOST_ROWS), words[2 * i + 1]!];
      while (end < to && words[2 * end + 1] === high && Math.floor(words[2 * end]! / MOST_ROWS) === low)
        end++;
      if (end - i > 1) waiting.push({ from: i, to: end, key, depth: depth + 1 });
      i = end;
    }
  }
  return Array.from(order, (i) => rows[i]!);
}
