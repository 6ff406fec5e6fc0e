/** Texts kept in long buffers: millions of them cost the garbage collector nothing. */
const SEGMENT = 32 * 1024 * 1024;
/** UTF-8 takes at most so many bytes for a unit of a string. */
const MOST_BYTES = 3;

export class PackedTexts {
  private segments: Buffer[] = [];
  /** Bytes used of the last segment. */
  private used = SEGMENT;
  /** Where each text is: its segment, its first byte there and its length. */
  private places = new Int32Array(3 * 1024);
  length = 0;

  add(text: string): number {
    const room = text.length * MOST_BYTES;
    if (this.used + room > SEGMENT) {
      this.segments.push(Buffer.allocUnsafeSlow(Math.max(SEGMENT, room)));
      this.used = 0;
    }
    const segment = this.segments.length - 1;
    const bytes = this.segments[segment]!.write(text, this.used);
    if (3 * this.length === this.places.length) {
      const places = new Int32Array(this.places.length * 2);
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

  at(n: number): string {
    const [segment, from, bytes] = this.places.subarray(3 * n, 3 * n + 3) as unknown as [
      number,
      number,
      number,
    ];
    return this.segments[segment]!.toString('utf8', from, from + bytes);
  }
}
