/** `holds(what, {…})`: what a condition asks of what a file holds (docs/filters.md). */
import type { ASTNode } from '@marcbachmann/cel-js';
import { PARTS, type Part } from '../model.ts';
import { PRESETS, type Preset } from '../recognise/threshold.ts';
import { atLeast, atLeastIn, type Found } from '../recognise/types.ts';

/** Holds of every file, a blank one too. */
export const ANYTHING = 'anything';
/** What stands before the name of a pack. */
export const PACK = 'pack:';

/** How a condition asks. */
export interface Holding {
  /** A data type, one of the stewards' own, `pack:` and a pack, or `anything`. */
  what: string;
  /** Absent: what counts for the type. */
  certainty?: number;
  distinct: number;
  occurrences: number;
  /** Absent: all. */
  parts?: readonly Part[];
}

/** Reads the arguments of the call. `fail` is told what is wrong with them. */
export function readHolding(args: readonly ASTNode[], fail: (why: string) => never): Holding {
  const what = args[0]?.op === 'value' && typeof args[0].args === 'string' ? args[0].args : undefined;
  if (!what) return fail('holds() takes the name of a data type in quotes first, such as holds("iban").');
  const holding: Holding = { what, distinct: 1, occurrences: 1 };
  if (!args[1]) return holding;
  if (args[1].op !== 'map')
    return fail('holds() takes what is asked of it in braces, such as holds("iban", {"distinct": 2}).');
  for (const [k, v] of args[1].args) {
    const [key, value] = [literal(k), literal(v)];
    const count = (most: number, least: number): number =>
      typeof value === 'number' && Number.isInteger(value) && value >= least && value <= most
        ? value
        : fail(
            `“${String(key)}” in holds() takes a whole number from ${least} to ${most.toLocaleString('en')}.`,
          );
    switch (key) {
      case 'certainty':
        holding.certainty =
          typeof value === 'string' && Object.hasOwn(PRESETS, value)
            ? PRESETS[value as Preset]
            : typeof value === 'string'
              ? fail(
                  `“certainty” in holds() takes a number from 0 to 100 or one of ${named(Object.keys(PRESETS))}.`,
                )
              : count(100, 0);
        break;
      case 'distinct':
      case 'occurrences':
        holding[key] = count(1_000_000, 1);
        break;
      case 'parts':
        holding.parts =
          Array.isArray(value) &&
          value.length &&
          value.every((p) => (PARTS as readonly unknown[]).includes(p))
            ? (value as Part[])
            : fail(`“parts” in holds() takes a list of ${named(PARTS)}.`);
        break;
      default:
        return fail(
          `There is no “${String(key)}” in holds(); there are certainty, distinct, occurrences and parts.`,
        );
    }
  }
  if (what === ANYTHING && args[1].args.length)
    return fail('holds("anything") holds of every file, and takes nothing else.');
  return holding;
}

const named = (words: readonly string[]): string => words.map((w) => `"${w}"`).join(', ');

/** What is written out; undefined where it has to be worked out. */
function literal(node: ASTNode): unknown {
  if (node.op === 'value') return typeof node.args === 'bigint' ? Number(node.args) : node.args;
  if (node.op === '-_') {
    const of = literal(node.args);
    return typeof of === 'number' ? -of : undefined;
  }
  return node.op === 'list' ? node.args.map(literal) : undefined;
}

/** What holdings are judged by: from which certainty a type counts, and what is in a pack. Undefined where there is none of the name. */
export interface HoldingTypes {
  from(type: string): number | undefined;
  pack(id: string): readonly string[] | undefined;
}

/** Whether a file holds what is asked, by what was found in it. */
export function holdsIn(
  found: readonly Pick<Found, 'dataType' | 'levels' | 'inParts'>[],
  { what, certainty, distinct, occurrences, parts }: Holding,
  types: HoldingTypes,
): boolean {
  if (what === ANYTHING) return true;
  const asked = what.startsWith(PACK) ? (types.pack(what.slice(PACK.length)) ?? []) : [what];
  return found.some((f) => {
    if (!asked.includes(f.dataType)) return false;
    const from = certainty ?? types.from(f.dataType);
    if (from === undefined) return false;
    const n = parts ? atLeastIn(f, from, parts) : atLeast(f.levels, from);
    return n.distinct >= distinct && n.occurrences >= occurrences;
  });
}

/** Whether there is what is asked for. */
export const isKnown = (what: string, types: HoldingTypes): boolean =>
  what === ANYTHING ||
  (what.startsWith(PACK) ? types.pack(what.slice(PACK.length)) : types.from(what)) !== undefined;
