/**
 * Sets of small whole numbers as words of 32 bits. Sets in one operation have the same length unless
 * said. Sets of one arena are worked on sixteen bytes at a time (bits.wat), others word by word.
 */
import { wasmModule } from '../wasm.ts';
import { BITS_WASM } from './bits-wasm.ts';

export type Bits = Int32Array;

interface Kernels {
  or1(into: number, a: number, length: number): void;
  or4(into: number, a: number, b: number, c: number, d: number, length: number): void;
  and1(into: number, a: number, length: number): void;
  countBoth(a: number, b: number, length: number): number;
  anyBoth(a: number, b: number, length: number): number;
  count(planes: number, stride: number, a: number, length: number): void;
}

/** Sets of fewer words are quicker to go through here than to hand over. */
const LARGE = 64;
const PAGE = 65536;
/** What a memory may hold at most. */
const MEMORY_BYTES = 2 ** 32 - PAGE;
const padded = (bytes: number): number => (bytes + 63) & ~63;

const arenas = new WeakMap<ArrayBufferLike, Kernels>();
let assembled: WebAssembly.Module | undefined;

/** Room for sets that are worked on together; they live as long as any of them is held. */
export class Arena {
  #memory: WebAssembly.Memory | undefined;
  #used = 0;
  /** Sets given back, to be taken again. */
  #spare: Bits[] = [];

  /** `size`: of the largest set; `count`: how many sets there is to be room for. More may be made: they are plain ones. */
  constructor(
    private size: number,
    count: number,
  ) {
    const bytes = padded(((size + 31) >>> 5) * 4) * count;
    if (size < LARGE * 32 || bytes > MEMORY_BYTES) return;
    const pages = Math.ceil(bytes / PAGE);
    this.#memory = new WebAssembly.Memory({ initial: pages, maximum: pages });
    assembled ??= wasmModule(BITS_WASM);
    const { exports } = new WebAssembly.Instance(assembled, { sets: { memory: this.#memory } });
    arenas.set(this.#memory.buffer, exports as unknown as Kernels);
  }

  /** An empty set for numbers below `size`. */
  make(size = this.size): Bits {
    const words = (size + 31) >>> 5;
    const bytes = padded(words * 4);
    if (!this.#memory || this.#used + bytes > this.#memory.buffer.byteLength) return bitsFor(size);
    const set = new Int32Array(this.#memory.buffer, this.#used, words);
    this.#used += bytes;
    return set;
  }

  /** Empty sets of the largest size, by number. */
  rows(count: number): Rows {
    const words = (this.size + 31) >>> 5;
    const stride = padded(words * 4) / 4;
    const bytes = count * stride * 4;
    if (!this.#memory || this.#used + bytes > this.#memory.buffer.byteLength)
      return new Rows(new Int32Array(count * stride), stride, words);
    const all = new Int32Array(this.#memory.buffer, this.#used, count * stride);
    this.#used += bytes;
    return new Rows(all, stride, words);
  }

  /** An empty set of the largest size, to be given back. */
  borrow(): Bits {
    return this.#spare.pop()?.fill(0) ?? this.make();
  }

  giveBack(set: Bits): void {
    this.#spare.push(set);
  }

  #counts: Counts[] = [];

  /** Counts by number, all 0; there is one for each `n`, which is made over when it is asked for again. */
  counts(n: number): Counts {
    const counts = (this.#counts[n] ??= new Counts(Array.from({ length: DIGITS }, () => this.make())));
    counts.clear();
    return counts;
  }

  /** A set as another one holds it. */
  copy(set: Bits): Bits {
    const copy = this.make();
    copy.set(set);
    return copy;
  }
}

/**
 * Sets by number that lie one after another: in whatever order they are gone through, there is one thing to fetch of each,
 * where of sets that are objects of their own there are several.
 */
export class Rows {
  private readonly kernels: Kernels | undefined;

  constructor(
    private readonly all: Int32Array,
    private readonly stride: number,
    private readonly words: number,
  ) {
    this.kernels = words < LARGE ? undefined : arenas.get(all.buffer);
  }

  at(n: number): Bits {
    return this.all.subarray(n * this.stride, n * this.stride + this.words);
  }

  has(n: number, i: number): boolean {
    return ((this.all[n * this.stride + (i >>> 5)]! >>> (i & 31)) & 1) === 1;
  }

  add(n: number, i: number): void {
    this.all[n * this.stride + (i >>> 5)]! |= 1 << (i & 31);
  }

  /** Adds a set to another. */
  union(into: number, other: number): void {
    const { all, stride, words, kernels } = this;
    const [to, from] = [into * stride, other * stride];
    if (kernels) kernels.or1(all.byteOffset + to * 4, all.byteOffset + from * 4, stride * 4);
    else for (let w = 0; w < words; w++) all[to + w]! |= all[from + w]!;
  }
}

/** So many binary digits has a count: up to 2³¹ − 1. */
export const DIGITS = 31;

/**
 * How often each number was in the sets that were added, up to 2³¹ − 1 times. Each binary digit of all counts is a set, so
 * that adding one goes sixteen bytes at a time, and touches two digits on the average.
 */
export class Counts {
  /** How far one digit's set is from the one before; undefined where they do not lie so. */
  private readonly stride: number | undefined;

  constructor(private readonly digits: readonly Bits[]) {
    const [first, second] = digits as [Bits, Bits];
    const stride = second.byteOffset - first.byteOffset;
    const inLine = digits.every(
      (d, n) => d.buffer === first.buffer && d.byteOffset === first.byteOffset + n * stride,
    );
    this.stride = inLine && stride > 0 ? stride : undefined;
  }

  clear(): void {
    for (const d of this.digits) d.fill(0);
  }

  /** Counts everybody in a set, so many times. */
  add(set: Bits, times: number): void {
    for (let from = 0; times >>> from; from++) {
      if (!((times >>> from) & 1)) continue;
      const planes = this.digits[from]!;
      const kernels = this.stride === undefined ? undefined : kernelsFor(planes, set);
      if (kernels) kernels.count(planes.byteOffset, this.stride!, set.byteOffset, padded(set.byteLength));
      else
        for (let w = 0; w < set.length; w++)
          for (let carry = set[w]!, n = from; carry; n++) {
            const digits = this.digits[n]!;
            const digit = digits[w]!;
            digits[w] = digit ^ carry;
            carry &= digit;
          }
    }
  }

  /** Adds the counts to those of a column, by number. */
  addTo(column: Int32Array): void {
    this.digits.forEach((digit, n) => forEachBoth(digit, digit, (i) => (column[i]! += 2 ** n)));
  }
}

/** The kernels for sets of one arena, the second of which may be shorter. */
function kernelsFor(a: Bits, b: Bits): Kernels | undefined {
  if (b.length < LARGE || a.length < b.length || a.buffer !== b.buffer) return undefined;
  return arenas.get(a.buffer);
}

export const bitsFor = (size: number): Bits => new Int32Array((size + 31) >>> 5);

export const has = (set: Bits, i: number): boolean => ((set[i >>> 5]! >>> (i & 31)) & 1) === 1;

export function add(set: Bits, i: number): void {
  set[i >>> 5]! |= 1 << (i & 31);
}

/** Adds the second set to the first; the second may be shorter. */
export function union(into: Bits, other: Bits): void {
  const kernels = kernelsFor(into, other);
  if (kernels) return kernels.or1(into.byteOffset, other.byteOffset, padded(other.byteLength));
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
    const { length } = a;
    const kernels = kernelsFor(into, a);
    if (kernels && b.buffer === c.buffer && c.buffer === d.buffer && d.buffer === a.buffer)
      kernels.or4(
        into.byteOffset,
        a.byteOffset,
        b.byteOffset,
        c.byteOffset,
        d.byteOffset,
        padded(a.byteLength),
      );
    else for (let w = 0; w < length; w++) into[w]! |= a[w]! | b[w]! | c[w]! | d[w]!;
  }
  for (; i < count; i++) union(into, sets[i]!);
}

/** Takes from the first set what is not in the second. */
export function intersect(into: Bits, other: Bits): void {
  const kernels = kernelsFor(into, other);
  if (kernels) kernels.and1(into.byteOffset, other.byteOffset, padded(other.byteLength));
  else for (let w = 0; w < into.length; w++) into[w]! &= other[w]!;
}

/** How many bits of a word are set. */
export function ones(word: number): number {
  word -= (word >>> 1) & 0x55555555;
  word = (word & 0x33333333) + ((word >>> 2) & 0x33333333);
  return Math.imul((word + (word >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}

/** How many are in both sets, of those from one number on and below another or some thereabouts. */
export function countBoth(a: Bits, b: Bits, from = 0, to = b.length * 32): number {
  const kernels = kernelsFor(a, b);
  const first = (from >>> 9) << 4;
  if (kernels) {
    const at = first * 4;
    const length = padded(((to + 31) >>> 5) * 4) - at;
    return length > 0 ? kernels.countBoth(a.byteOffset + at, b.byteOffset + at, length) : 0;
  }
  const last = Math.min(a.length, ((to + 511) >>> 9) << 4);
  let n = 0;
  for (let w = first; w < last; w++) {
    const both = a[w]! & b[w]!;
    if (both) n += ones(both);
  }
  return n;
}

export function anyBoth(a: Bits, b: Bits): boolean {
  const kernels = kernelsFor(a, b);
  if (kernels) return kernels.anyBoth(a.byteOffset, b.byteOffset, padded(b.byteLength)) === 1;
  for (let w = 0; w < a.length; w++) if (a[w]! & b[w]!) return true;
  return false;
}

/** Calls `visit` for every number in both sets, in rising order. */
export function forEachBoth(a: Bits, b: Bits, visit: (i: number) => void): void {
  for (let w = 0; w < a.length; w++) forEachIn(a[w]! & b[w]!, w, visit);
}

/** Calls `visit` for every number in the w-th word of a set, in rising order. */
export function forEachIn(word: number, w: number, visit: (i: number) => void): void {
  for (; word; word &= word - 1) visit((w << 5) + 31 - Math.clz32(word & -word));
}

/** Those of a set who are not in another, which may be shorter; undefined where they are more than `most`. */
export function without(set: Bits, other: Bits, most: number): number[] | undefined {
  const list: number[] = [];
  for (let w = 0; w < set.length && list.length <= most; w++)
    forEachIn(set[w]! & ~(other[w] ?? 0), w, (i) => list.push(i));
  return list.length > most ? undefined : list;
}
