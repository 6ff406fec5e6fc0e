/** Rows kept as JSON in long buffers: millions of them cost the garbage collector nothing. */
const SEGMENT = 32 * 1024 * 1024;

export class PackedRows<Row> {
  private segments: Buffer[] = [];
  /** Bytes used of the last segment. */
  private used = SEGMENT;
  /** Where each row is: its segment, its first byte there and its length. */
  private places = new Int32Array(3 * 1024);
  length = 0;

  add(row: Row): number {
    const text = JSON.stringify(row);
    const bytes = Buffer.byteLength(text);
    if (this.used + bytes > SEGMENT) {
      this.segments.push(Buffer.allocUnsafeSlow(Math.max(SEGMENT, bytes)));
      this.used = 0;
    }
    const segment = this.segments.length - 1;
    this.segments[segment]!.write(text, this.used);
    if (3 * this.length === this.places.length) {
      const places = new Int32Array(this.places.length * 2);
      places.set(this.places);
      this.places = places;
    }
    this.places.set([segment, this.used, bytes], 3 * this.length);
    this.used += bytes;
    return this.length++;
  }

  at(n: number): Row {
    const [segment, from, bytes] = this.places.subarray(3 * n, 3 * n + 3) as unknown as [
      number,
      number,
      number,
    ];
    return JSON.parse(this.segments[segment]!.toString('utf8', from, from + bytes)) as Row;
  }
}
