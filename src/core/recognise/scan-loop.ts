/** The loop over the text (scan.wat), and the memory it works in. One for each set of types. */
import { wasmModule } from '../wasm.ts';
import { SCAN_WASM } from './scan-wasm.ts';

/** What may begin at a place. */
export const EVENT = { dashes: 0, at: 1, plus: 2, word: 3, shape: 4, newShape: 5, chain: 6 } as const;

const CLASSES = 0;
const JOINS = 65_536;
const KEYS = 131_072;
const SHAPES = 163_840;
const LISTS = 425_984;
const EVENTS = 557_056;
const STATE = 622_592;
const TEXT = 622_656;
/** Places for shapes; half of them are filled at most, then all are found out anew. */
const SHAPE_PLACES = 1 << 15;

/** Bytes behind the text that are looked at. */
const BEYOND = 64;

/** Small words of a list one after another. */
export interface Chain {
  links: number;
  /** Where the first of them begins. */
  from: number;
}

let compiled: WebAssembly.Module | undefined;

export class ScanLoop {
  private readonly memory = new WebAssembly.Memory({ initial: 16 });
  private readonly scan: (end: number, length: number) => number;
  private bytes = Buffer.from(this.memory.buffer);
  private numbers = new Int32Array(this.memory.buffer);
  private shapes = 0;

  /** `classes` and `joins` by code unit, `keys` by three letters (scan.wat). */
  constructor(classes: Uint8Array, joins: Uint8Array, keys: Uint8Array) {
    compiled ??= wasmModule(SCAN_WASM);
    const { exports } = new WebAssembly.Instance(compiled, { scan: { memory: this.memory } });
    this.scan = exports.scan as typeof this.scan;
    this.bytes.set(classes, CLASSES);
    this.bytes.set(joins, JOINS);
    this.bytes.set(keys, KEYS);
  }

  /** Puts a text in, to be gone through from a place of it. */
  begin(text: string, from: number, chain: Chain): void {
    const needed = TEXT + 2 * text.length + BEYOND;
    if (needed > this.bytes.length) {
      this.memory.grow(Math.ceil((needed - this.bytes.length) / 65_536));
      this.bytes = Buffer.from(this.memory.buffer);
      this.numbers = new Int32Array(this.memory.buffer);
    }
    this.bytes.write(text, TEXT, 'utf16le');
    // what is looked at behind the end
    this.bytes.fill(0, needed - BEYOND, needed);
    this.numbers[STATE >> 2] = from;
    this.numbers[(STATE >> 2) + 1] = chain.links;
    this.numbers[(STATE >> 2) + 2] = chain.from;
  }

  /** Goes on to a place of a text of a length; gives how many events there are. */
  next(end: number, length: number): number {
    return this.scan(end, length);
  }

  /** The place it has come to. */
  get at(): number {
    return this.numbers[STATE >> 2]!;
  }

  /** One of the numbers of an event: its kind, and three. */
  event(n: number, which: 0 | 1 | 2 | 3): number {
    return this.numbers[(EVENTS >> 2) + 4 * n + which]!;
  }

  /** The chain that the text ends in, or none with no links. */
  get chain(): Chain {
    const at = STATE >> 2;
    return { links: this.numbers[at + 1]!, from: this.numbers[at + 2]! };
  }

  /** The list of a shape, where it is known: it may be so since the event. */
  known(one: number, two: number): number {
    const at = this.place(one, two);
    return this.numbers[(LISTS >> 2) + at]!;
  }

  /** Remembers the list of a shape: 1 for no types, else 2 or more. */
  learn(one: number, two: number, list: number): void {
    if (++this.shapes > SHAPE_PLACES / 2) {
      this.bytes.fill(0, LISTS, EVENTS);
      this.shapes = 1;
    }
    const at = this.place(one, two);
    this.numbers[(SHAPES >> 2) + at] = one;
    this.numbers[(SHAPES >> 2) + SHAPE_PLACES + at] = two;
    this.numbers[(LISTS >> 2) + at] = list;
  }

  private place(one: number, two: number): number {
    const { numbers } = this;
    let at = one & (SHAPE_PLACES - 1);
    while (
      numbers[(LISTS >> 2) + at]! !== 0 &&
      (numbers[(SHAPES >> 2) + at]! !== one || numbers[(SHAPES >> 2) + SHAPE_PLACES + at]! !== two)
    )
      at = (at + 1) & (SHAPE_PLACES - 1);
    return at;
  }
}
