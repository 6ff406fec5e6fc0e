/** Texts kept in long buffers: millions of them cost the garbage collector nothing. */
const SEGMENT = 32 * 1024 * 1024;
/** UTF-8 takes at most so many bytes for a unit of a string. */
const MOST_BYTES = 3;

export interface PackedTextsState {
  length: number;
  segments: Uint8Array[];
  places: Int32Array;
}

export class PackedTexts {
  private segments: Buffer[] = [];
  /** Bytes used of the last segment. */
  private used = 0;
  /** Where each text is: its segment, its first byte there and its length. */
  private places: Int32Array = new Int32Array(3 * 1024);
  length = 0;

  add(text: string): number {
    const room = text.length * MOST_BYTES;
    if (this.used + room > (this.segments.at(-1)?.length ?? 0)) {
      this.segments.push(Buffer.allocUnsafeSlow(Math.max(SEGMENT, room)));
      this.used = 0;
    }
    const segment = this.segments.length - 1;
    const bytes = this.segments[segment]!.write(text, this.used);
    if (3 * this.length === this.places.length) {
      const places = new Int32Array(Math.max(3 * 1024, this.places.length * 2));
      places.set(this.places);
      this.places = places;
    }
    const at = 3 * this.length;
    this.places[at] = segment;
    this.places[at + 1] = this.used;
    this.places[at + 2] = bytes;
    this.used += bytes;
    return this.length++;
  }

  /** Keeps the texts of some numbers, in this order. */
  pick(order: Int32Array): void {
    const places = new Int32Array(3 * order.length);
    for (let i = 0; i < order.length; i++)
      for (let k = 0; k < 3; k++) places[3 * i + k] = this.places[3 * order[i]! + k]!;
    this.places = places;
    this.length = order.length;
  }

  /** All texts, not copied: what `restore` takes. */
  state(): PackedTextsState {
    const last = this.segments.length - 1;
    return {
      length: this.length,
      segments: this.segments.map((s, n) => (n === last ? s.subarray(0, this.used) : s)),
      places: this.places.subarray(0, 3 * this.length),
    };
  }

  restore({ length, segments, places }: PackedTextsState): void {
    this.length = length;
    this.segments = segments.map((s) => Buffer.from(s.buffer, s.byteOffset, s.byteLength));
    this.used = this.segments.at(-1)?.length ?? 0;
    this.places = places;
  }

  at(n: number): string {
    const [segment, from, bytes] = this.places.subarray(3 * n, 3 * n + 3) as unknown as [
      number,
      number,
      number,
    ];
    return this.segments[segment]!.toString('utf8', from, from + bytes);
  }
}
