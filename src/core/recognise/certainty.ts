/** How sure a match is: the reasons for and against it, and their sum. */
import type { Reason } from './types.ts';

/** From here on a match is sure enough to own its characters. */
export const SURE = 55;

/** Below this nothing is a match: on the labelled corpus none of them was right. */
export const LEAST = 20;

/** So much surer is one reading of the same characters than another that the other falls away. */
export const SURER = 20;

/** Of so many values, when so large a part hardly differ from their neighbours, they count something. */
export const ALIKE = { least: 10, most: 200, part: 0.6, tail: 4 };

export const BASE = {
  context: 15,
  near: 5,
  otherwise: -30,
  example: -25,
  sequence: -40,
  run: -40,
  alike: -35,
  agree: 10,
};

/** What types say where a check digit is right. */
export const CHECKED = /check digits? (?:is|are) right/;

/** Certainty as the sum of its reasons, held between 0 and 100. */
export function sum(reasons: Reason[]): { certainty: number; reasons: Reason[] } {
  const total = reasons.reduce((points, r) => points + r.points, 0);
  return { certainty: Math.max(0, Math.min(100, total)), reasons };
}

export function lowered(levels: ReadonlyMap<number, number>, by: number): Map<number, number> {
  const out = new Map<number, number>();
  for (const [c, n] of levels) out.set(Math.max(0, c + by), (out.get(Math.max(0, c + by)) ?? 0) + n);
  return out;
}

/** Says where most of many numbers hardly differ from the next: parts, orders, students in a row. */
export function alike(values: readonly string[]): Reason | undefined {
  if (values.length < ALIKE.least || !/^[A-Z]{0,4}\d{9,}$/.test(values[0]!)) return undefined;
  const sorted = [...values].sort();
  let close = 0;
  for (let i = 1; i < sorted.length; i++) {
    const [a, b] = [sorted[i - 1]!, sorted[i]!];
    if (a.length === b.length && b.startsWith(a.slice(0, -ALIKE.tail))) close++;
  }
  if (close < (values.length - 1) * ALIKE.part) return undefined;
  return {
    why: `${close + 1} of ${values.length} such numbers hardly differ: they count something`,
    points: BASE.alike,
  };
}

/** One digit repeated, or each digit one more or one less than the last, through all but the check digit. */
export function isSequence(digits: string): boolean {
  if (!/^\d{9,}$/.test(digits)) return false;
  const step = digits.charCodeAt(1) - digits.charCodeAt(0);
  if (Math.abs(step) > 1) return false;
  for (let i = 1; i < digits.length - 1; i++)
    if ((digits.charCodeAt(i) - digits.charCodeAt(i - 1) - step) % 10 !== 0) return false;
  return true;
}
