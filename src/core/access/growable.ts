/** A typed array that grows; `done()` gives the filled part. */
export class GrowInt32 {
  private data: Int32Array = new Int32Array(1024);
  length = 0;

  push(value: number): number {
    if (this.length === this.data.length) {
      const next = new Int32Array(this.data.length * 2);
      next.set(this.data);
      this.data = next;
    }
    this.data[this.length] = value;
    return this.length++;
  }

  /** What was pushed as the nth; n below `length`. */
  at(n: number): number {
    return this.data[n]!;
  }

  /** Puts another value where one was pushed as the nth; n below `length`. */
  set(n: number, value: number): void {
    this.data[n] = value;
  }

  done(): Int32Array {
    return this.data.slice(0, this.length);
  }

  /** What was pushed, not copied: what `restore` takes. */
  state(): Int32Array {
    return this.data.subarray(0, this.length);
  }

  /** Keeps those of some numbers, in this order. */
  pick(order: Int32Array): void {
    const picked = new Int32Array(order.length);
    for (let i = 0; i < picked.length; i++) picked[i] = this.data[order[i]!]!;
    this.restore(picked);
  }

  restore(state: Int32Array): void {
    this.data = state.length ? state : new Int32Array(1);
    this.length = state.length;
  }
}

/** Gives every distinct string a number, in order of first sight. */
export class Interner {
  names: string[] = [];
  private readonly numbers = new Map<string, number>();

  /** The number of `name`, made if there is none. */
  of(name: string): number {
    let n = this.numbers.get(name);
    if (n === undefined) {
      n = this.names.push(name) - 1;
      this.numbers.set(name, n);
    }
    return n;
  }

  /** The number of `name`, or −1. */
  find(name: string): number {
    return this.numbers.get(name) ?? -1;
  }

  /** The names by number: what `restore` takes. */
  state(): string[] {
    return this.names;
  }

  restore(state: string[]): void {
    this.names = state;
    this.numbers.clear();
    state.forEach((name, n) => this.numbers.set(name, n));
  }
}

/** Lists of numbers by owner, stored flat: owner o's list is `values[start[o] … start[o + 1])`. */
export interface Lists {
  start: Int32Array;
  values: Int32Array;
}

/** Sorts pairs (owner, value) into lists by owner, keeping the order of values within one owner. */
export function listsBy(owners: Int32Array, values: Int32Array, ownerCount: number): Lists {
  const start = new Int32Array(ownerCount + 1);
  for (const o of owners) start[o + 1]!++;
  for (let o = 0; o < ownerCount; o++) start[o + 1]! += start[o]!;
  const out = new Int32Array(values.length);
  const at = start.slice();
  for (let i = 0; i < owners.length; i++) out[at[owners[i]!]!++] = values[i]!;
  return { start, values: out };
}

/** 0, 1, 2 … below `count`. */
export function counting(count: number): Int32Array {
  const out = new Int32Array(count);
  for (let i = 0; i < count; i++) out[i] = i;
  return out;
}

/** A column of numbers that grows. */
export class GrowFloat64 {
  private data: Float64Array = new Float64Array(1024);
  length = 0;

  push(value: number): void {
    if (this.length === this.data.length) {
      const next = new Float64Array(this.data.length * 2);
      next.set(this.data);
      this.data = next;
    }
    this.data[this.length++] = value;
  }

  /** What was pushed as the nth; n below `length`. */
  at(n: number): number {
    return this.data[n]!;
  }

  /** Puts another value where one was pushed as the nth; n below `length`. */
  set(n: number, value: number): void {
    this.data[n] = value;
  }

  done(): Float64Array {
    return this.data.subarray(0, this.length);
  }

  /** What was pushed, not copied: what `restore` takes. */
  state(): Float64Array {
    return this.done();
  }

  /** Keeps those of some numbers, in this order. */
  pick(order: Int32Array): void {
    const picked = new Float64Array(order.length);
    for (let i = 0; i < picked.length; i++) picked[i] = this.data[order[i]!]!;
    this.restore(picked);
  }

  restore(state: Float64Array): void {
    this.data = state.length ? state : new Float64Array(1);
    this.length = state.length;
  }
}

/** Sets the nth of a column, which may be the one after its last. */
export function put(column: GrowInt32 | GrowFloat64, n: number, value: number): void {
  if (n === column.length) column.push(value);
  else column.set(n, value);
}
