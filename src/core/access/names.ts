/**
 * Millions of strings as one run of bytes, each with a number: a tenth of the objects that the
 * garbage collector would otherwise go through again and again.
 */

/** Strings by number. */
export interface Names {
  readonly length: number;
  /** The string with number i; 0 ≤ i < length. */
  at(i: number): string;
}

export interface PackedNamesState {
  length: number;
  bytes: Uint8Array;
  starts: Float64Array;
  hashes: Int32Array;
  wide: Uint8Array;
  places: Int32Array;
}

/** Gives every distinct string a number, in order of first sight. Open addressing, linear probing. */
export class PackedNames implements Names {
  length = 0;
  private bytes = new Uint8Array(1 << 12);
  /** Where each begins; the last is where the next one will. */
  private starts = new Float64Array(1 << 8);
  private hashes = new Int32Array(1 << 8);
  /** 1 where it is held in two bytes a unit: it has units above 255. */
  private wide = new Uint8Array(1 << 8);
  /** Number + 1 by place; a power of two of places, at most half of them taken. */
  private places = new Int32Array(1 << 9);

  /** The number of `name`, made if there is none. */
  of(name: string): number {
    const hash = hashOf(name);
    let place = this.placeOf(name, hash);
    const found = this.places[place]!;
    if (found) return found - 1;
    const n = this.length;
    if (n + 2 > this.starts.length || n === this.hashes.length) this.grow();
    this.write(n, name);
    this.hashes[n] = hash;
    if (n * 2 >= this.places.length) place = this.rehash(hash);
    this.places[place] = ++this.length;
    return n;
  }

  /** The number of `name`, or −1. */
  find(name: string): number {
    return this.places[this.placeOf(name, hashOf(name))]! - 1;
  }

  at(i: number): string {
    const from = this.starts[i]!;
    const to = this.starts[i + 1]!;
    if (!this.wide[i]) return textOf(this.bytes.subarray(from, to));
    const units = new Uint16Array((to - from) / 2);
    for (let k = 0; k < units.length; k++)
      units[k] = this.bytes[from + 2 * k]! | (this.bytes[from + 2 * k + 1]! << 8);
    return textOf(units);
  }

  /** All there is to it, not copied: what `restore` takes. */
  state(): PackedNamesState {
    const { length } = this;
    return {
      length,
      bytes: this.bytes.subarray(0, this.starts[length]),
      starts: this.starts.subarray(0, length + 1),
      hashes: this.hashes.subarray(0, length),
      wide: this.wide.subarray(0, length),
      places: this.places,
    };
  }

  restore(state: PackedNamesState): void {
    Object.assign(this, state);
  }

  private placeOf(name: string, hash: number): number {
    const mask = this.places.length - 1;
    let place = hash & mask;
    for (let n = this.places[place]!; n; n = this.places[place]!) {
      if (this.hashes[n - 1] === hash && this.is(n - 1, name)) break;
      place = (place + 1) & mask;
    }
    return place;
  }

  private is(n: number, name: string): boolean {
    const from = this.starts[n]!;
    if (this.wide[n]) return this.at(n) === name;
    if (this.starts[n + 1]! - from !== name.length) return false;
    for (let k = 0; k < name.length; k++) if (this.bytes[from + k] !== name.charCodeAt(k)) return false;
    return true;
  }

  private write(n: number, name: string): void {
    let all = 0;
    for (let k = 0; k < name.length; k++) all |= name.charCodeAt(k);
    const each = all > 255 ? 2 : 1;
    const from = this.starts[n]!;
    const to = from + name.length * each;
    if (to > this.bytes.length) this.bytes = longer(this.bytes, Math.max(to, this.bytes.length * 1.5));
    for (let k = 0; k < name.length; k++) {
      const unit = name.charCodeAt(k);
      this.bytes[from + k * each] = unit;
      if (each === 2) this.bytes[from + 2 * k + 1] = unit >>> 8;
    }
    this.wide[n] = each - 1;
    this.starts[n + 1] = to;
  }

  private grow(): void {
    const size = Math.max(8, this.starts.length * 2);
    this.starts = longer(this.starts, size);
    this.hashes = longer(this.hashes, size);
    this.wide = longer(this.wide, size);
  }

  /** Twice the places; gives the free one for a hash. */
  private rehash(hash: number): number {
    this.places = new Int32Array(this.places.length * 2);
    const mask = this.places.length - 1;
    const free = (h: number): number => {
      let place = h & mask;
      while (this.places[place]) place = (place + 1) & mask;
      return place;
    };
    for (let n = 0; n < this.length; n++) this.places[free(this.hashes[n]!)] = n + 1;
    return free(hash);
  }
}

/** Every string, in order. */
export function* eachName(names: Names): Generator<string> {
  for (let i = 0; i < names.length; i++) yield names.at(i);
}

function longer<T extends Uint8Array | Int32Array | Float64Array>(array: T, length: number): T {
  const next = new (array.constructor as new (n: number) => T)(Math.ceil(length));
  next.set(array);
  return next;
}

/** FNV-1a over the units, mixed once more so that the low bits will do. */
function hashOf(name: string): number {
  let h = 0x811c9dc5;
  for (let k = 0; k < name.length; k++) h = Math.imul(h ^ name.charCodeAt(k), 0x01000193);
  h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
  return h ^ (h >>> 13);
}

/** Arguments of one call are held on the stack, which is not without end. */
const AT_ONCE = 8192;

function textOf(units: Uint8Array | Uint16Array): string {
  if (units.length <= AT_ONCE) return String.fromCharCode.apply(null, units as never);
  let text = '';
  for (let k = 0; k < units.length; k += AT_ONCE)
    text += String.fromCharCode.apply(null, units.subarray(k, k + AT_ONCE) as never);
  return text;
}
