/**
 * How long ours takes against its reference, measured in the same run. What was measured is kept in ratios.json, so
 * that something that became slower is seen: times change with the machine, and ratios hardly do.
 */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const FILE = fileURLToPath(new URL('ratios.json', import.meta.url));
/** A ratio that grew by more than this has become worse. */
const WORSE = 4 / 3;

export type Kept = Record<string, number>;
/** Ratios of this run, the least of those measured: by what, against what and at which size. */
const measured = new Map<string, number>();

/** Notes a ratio: ours over the reference, so that less is better. */
export function ratio(what: string, ours: number, reference: number): void {
  const value = ours / reference;
  measured.set(what, Math.min(value, measured.get(what) ?? Infinity));
}

export const readKept = (): Kept =>
  existsSync(FILE) ? (JSON.parse(readFileSync(FILE, 'utf8')) as Kept) : {};

/** Keeps what this run measured, beside what it did not. */
export function keep(): void {
  const all = { ...readKept(), ...Object.fromEntries(measured) };
  const sorted = Object.fromEntries(
    Object.entries(all)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([k, v]) => [k, Number(v.toPrecision(3))]),
  );
  writeFileSync(FILE, `${JSON.stringify(sorted, null, 2)}\n`);
}

export interface Verdict {
  what: string;
  kept: number;
  now: number;
  worse: boolean;
}
/** What was measured against what is kept; what is kept and was not measured is `missing`. */
export function verdicts(
  now: ReadonlyMap<string, number> = measured,
  kept = readKept(),
): { compared: Verdict[]; missing: string[] } {
  return {
    compared: Object.entries(kept).flatMap(([what, was]) => {
      const is = now.get(what);
      return is === undefined ? [] : [{ what, kept: was, now: is, worse: is > was * WORSE }];
    }),
    missing: Object.keys(kept).filter((k) => !now.has(k)),
  };
}
