/** Sets of small whole numbers as words of 32 bits. Sets in one operation have the same length unless said. */
export type Bits = Int32Array;

export const bitsFor = (size: number): Bits => new Int32Array((size + 31) >>> 5);

export const has = (set: Bits, i: number): boolean => ((set[i >>> 5]! >>> (i & 31)) & 1) === 1;

export function add(set: Bits, i: number): void {
  set[i >>> 5]! |= 1 << (i & 31);
}

/** Adds the second set to the first; the second may be shorter. */
export function union(into: Bits, other: Bits): void {
  const length = Math.min(into.length, other.length);
  for (let w = 0; w < length; w++) into[w]! |= other[w]!;
}

/** Adds many sets of one length, four at a time: each turn reads and writes the result once. */
export function unionMany(into: Bits, sets: readonly Bits[], count = sets.length): void {
  let i = 0;
  for (; i + 4 <= count; i += 4) {
    const a = sets[i]!;
    const b = sets[i + 1]!;
    const c = sets[i + 2]!;
    const d = sets[i + 3]!;
    const length = a.length;
    for (let w = 0; w < length; w++) into[w]! |= a[w]! | b[w]! | c[w]! | d[w]!;
  }
  for (; i < count; i++) union(into, sets[i]!);
}

export function intersection(a: Bits, b: Bits): Bits {
  const out = new Int32Array(a.length);
  for (let w = 0; w < a.length; w++) out[w] = a[w]! & b[w]!;
  return out;
}

/** How many bits of a word are set. */
export function ones(word: number): number {
  word -= (word >>> 1) & 0x55555555;
  word = (word & 0x33333333) + ((word >>> 2) & 0x33333333);
  return Math.imul((word + (word >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}

/** How many are in a set from one number up to, not including, another. */
export function countFrom(set: Bits, from: number, to: number): number {
  if (from >= to) return 0;
  const first = from >>> 5;
  const last = (to - 1) >>> 5;
  let n = 0;
  for (let w = first; w <= last; w++) n += ones(set[w]!);
  // what the first and the last word hold beyond the bounds
  n -= ones(set[first]! & ~(-1 << (from & 31)));
  if (to & 31) n -= ones(set[last]! & (-1 << (to & 31)));
  return n;
}

/** How many are in both sets. */
export function countBoth(a: Bits, b: Bits): number {
  let n = 0;
  for (let w = 0; w < a.length; w++) {
    const both = a[w]! & b[w]!;
    if (both) n += ones(both);
  }
  return n;
}

export function anyBoth(a: Bits, b: Bits): boolean {
  for (let w = 0; w < a.length; w++) if (a[w]! & b[w]!) return true;
  return false;
}

/** Calls `visit` for every number in both sets, in rising order. */
export function forEachBoth(a: Bits, b: Bits, visit: (i: number) => void): void {
  for (let w = 0; w < a.length; w++) {
    let both = a[w]! & b[w]!;
    while (both) {
      const low = both & -both;
      visit((w << 5) + (31 - Math.clz32(low)));
      both ^= low;
    }
  }
}
