/** Sets of small whole numbers as words of 32 bits. All sets in one operation have the same length. */
export type Bits = Int32Array;

export const bitsFor = (size: number): Bits => new Int32Array((size + 31) >>> 5);

export const has = (set: Bits, i: number): boolean => ((set[i >>> 5]! >>> (i & 31)) & 1) === 1;

export function add(set: Bits, i: number): void {
  set[i >>> 5]! |= 1 << (i & 31);
}

export function union(into: Bits, other: Bits): void {
  // eight words a turn: over large organisations this loop is most of the work
  const length = into.length;
  const whole = length & ~7;
  let w = 0;
  for (; w < whole; w += 8) {
    into[w]! |= other[w]!;
    into[w + 1]! |= other[w + 1]!;
    into[w + 2]! |= other[w + 2]!;
    into[w + 3]! |= other[w + 3]!;
    into[w + 4]! |= other[w + 4]!;
    into[w + 5]! |= other[w + 5]!;
    into[w + 6]! |= other[w + 6]!;
    into[w + 7]! |= other[w + 7]!;
  }
  for (; w < length; w++) into[w]! |= other[w]!;
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
  return (((word + (word >>> 4)) & 0x0f0f0f0f) * 0x01010101) >>> 24;
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
