/** Exposures that differ from what is known of them already. */
import { digestOf } from '../store/observed.ts';
import type { EngineFinding } from './findings.ts';
import { key } from './keys.ts';

/** What stands of an exposure; `told`: by which digest, null where that was not kept. */
export interface Known {
  source: string;
  item: string;
  told: string | null;
}

export interface Differing {
  /** New, or of which something else is told. */
  found: (EngineFinding & { told: string })[];
  /** Known, and none any more. */
  gone: { source: string; item: string }[];
}

/** Takes in exposures one by one, and keeps those that differ from what is known. */
export class Difference {
  private readonly left: Map<string, Known>;
  private readonly found: Differing['found'] = [];

  constructor(known: readonly Known[]) {
    this.left = new Map(known.map((k) => [key(k.source, k.item), k]));
  }

  take(f: EngineFinding): void {
    const k = key(f.source, f.item);
    const told = digestOf(JSON.stringify(f));
    if (this.left.get(k)?.told !== told) this.found.push({ ...f, told });
    this.left.delete(k);
  }

  /** The differences, once all was taken in. */
  all(): Differing {
    return { found: this.found, gone: [...this.left.values()].map(({ source, item }) => ({ source, item })) };
  }
}
