/** Room for what cross-tabulations do by the million, and the kernels of cells.wat that do it there. */
import { wasmModule } from '../wasm.ts';
import { CELLS_WASM } from './cells-wasm.ts';

/** Addresses in bytes; see cells.wat. */
interface Kernels {
  note(from: number, to: number, end: number, there: number): number;
  forget(from: number, to: number, there: number): void;
  raise(from: number, to: number, into: number, by: number): void;
  join(
    combos: number,
    end: number,
    places: number,
    rows: number,
    step: number,
    behind: number,
    words: number,
    starts: number,
    bits: number,
    table: number,
    stride: number,
  ): void;
  gather(combos: number, end: number, places: number, behind: number, words: number, together: number): void;
  look(row: number, stride: number, parts: number): number;
  give(
    row: number,
    parts: number,
    partsEnd: number,
    list: number,
    listEnd: number,
    set: number,
    table: number,
    stride: number,
  ): void;
  turn(rows: number, stride: number, cellOf: number, here: number, square: number): number;
  total(here: number, end: number, size: number, stride: number): void;
  count(here: number, end: number, counts: number): void;
}

const PAGE = 65536;
let kept: { memory: WebAssembly.Memory; kernels: Kernels } | undefined;

/**
 * Room for each of some columns, by their names and lengths in bytes; all zero. The memory is one and the same
 * each time, for the system takes long to give so much: a room is no more once there is another.
 */
export function roomFor<Name extends string>(bytes: Record<Name, number>) {
  const at = { ...bytes };
  let used = 0;
  for (const name in bytes) {
    at[name] = used;
    used += Math.ceil(bytes[name] / 16) * 16;
  }
  if (!kept) {
    const memory = new WebAssembly.Memory({ initial: 0 });
    const { exports } = new WebAssembly.Instance(wasmModule(CELLS_WASM), { cells: { memory } });
    kept = { memory, kernels: exports as unknown as Kernels };
  }
  const { memory, kernels } = kept;
  const { byteLength } = memory.buffer;
  new Uint8Array(memory.buffer, 0, Math.min(used, byteLength)).fill(0);
  if (used > byteLength) memory.grow(Math.ceil((used - byteLength) / PAGE));
  return {
    /** Where each column begins. */
    at,
    kernels,
    ints: (name: Name) => new Int32Array(memory.buffer, at[name], bytes[name] >>> 2),
    floats: (name: Name) => new Float64Array(memory.buffer, at[name], bytes[name] >>> 3),
  };
}
