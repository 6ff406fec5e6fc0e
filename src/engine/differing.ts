/** What differs from what is known already, so that only that is sent and written. */
import { digestOf } from '../store/observed.ts';

/** What is known of something; `told`: the digest of what was told of it last, null where that was not kept. */
export interface Known {
  key: string;
  told: string | null;
}

export interface Differing<T> {
  /** New, or of which something else is told. */
  found: (T & { told: string })[];
  /** Keys of what is known, and is not there any more. */
  gone: string[];
}

export class Difference<T extends object> {
  private readonly left: Map<string, string | null>;
  private readonly found: Differing<T>['found'] = [];

  constructor(known: readonly Known[]) {
    this.left = new Map(known.map((k) => [k.key, k.told]));
  }

  /** Takes in what there is, one by one. */
  take(key: string, value: T): void {
    const told = digestOf(JSON.stringify(value));
    if (this.left.get(key) !== told) this.found.push({ ...value, told });
    this.left.delete(key);
  }

  /** Keeps what is known as it is told. */
  keep(key: string): void {
    this.left.delete(key);
  }

  /** The differences, once all was taken in. */
  all(): Differing<T> {
    return { found: this.found, gone: [...this.left.keys()] };
  }
}
