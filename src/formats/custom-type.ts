/** Custom data types as JSON (docs/recognition.md), and lists of words as CSV (RFC 4180). */
import { z } from 'zod';
import {
  CHECKS,
  compileCustom,
  type CheckName,
  type CompiledCustom,
  type Condition,
  type CustomType,
} from '../core/recognise/custom.ts';
import { separatorOf, tableRows } from './structured.ts';

const count = z.int().min(1).max(1_000_000).optional();
const counts = { distinct: count, occurrences: count };
const under = z.array(z.string().trim().min(1).max(100)).max(50).optional();
const conditions = (): z.ZodType<Condition[]> => z.lazy(() => z.array(conditionSchema).min(1).max(50));

/** What a document is asked; which fields it has says of which kind it is. */
const conditionSchema: z.ZodType<Condition> = z.lazy(() =>
  z.union(
    [
      z.strictObject({
        ...counts,
        pattern: z.string().min(1).max(2000),
        ignoreCase: z.boolean().optional(),
        check: z.enum(Object.keys(CHECKS) as [CheckName]).optional(),
        under,
      }),
      z.strictObject({
        ...counts,
        words: z.array(z.string().max(200)).min(1).max(200_000),
        matchCase: z.boolean().optional(),
        partsOfWords: z.boolean().optional(),
        under,
      }),
      z.strictObject({
        ...counts,
        type: z.string().min(1).max(64),
        certainty: z.int().min(0).max(100).optional(),
      }),
      z.strictObject({ ...counts, everything: z.literal(true) }),
      z.strictObject({ ...counts, all: conditions() }),
      z.strictObject({ ...counts, any: conditions() }),
      z.strictObject({ ...counts, atLeast: z.int().min(1).max(50), of: conditions() }),
      z.strictObject({
        ...counts,
        find: conditionSchema,
        near: conditionSchema,
        within: z.int().min(0).max(10_000),
      }),
    ],
    {
      error:
        'A condition is one of pattern, words, type, everything, all, any, atLeast with of, or find with near and within.',
    },
  ),
);

export const customTypeSchema: z.ZodType<CustomType> = z.strictObject({
  id: z.string().regex(/^[a-z0-9][a-z0-9-]{0,62}$/, 'An id is made of small letters, digits and dashes.'),
  name: z.string().trim().min(1).max(100),
  weight: z.union([z.literal(1), z.literal(2), z.literal(3), z.literal(4)]),
  certainty: z.int().min(1).max(100).default(60),
  match: conditionSchema,
  context: z.array(z.string().trim().min(1).max(100)).max(200).default([]),
  cases: z
    .array(z.strictObject({ text: z.string().max(100_000), matches: z.boolean() }))
    .max(500)
    .default([]),
});

/** Custom types of a JSON text, one or a list; what is wrong is said in words. */
export function readCustomTypes(
  text: string,
  known: (id: string) => boolean,
): { compiled: CompiledCustom[]; wrong: string[] } {
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (e) {
    return { compiled: [], wrong: [`It is not JSON: ${(e as Error).message}`] };
  }
  const wrong: string[] = [];
  const compiled = (Array.isArray(value) ? value : [value]).flatMap((one: unknown, i): CompiledCustom[] => {
    const label = (one as { id?: unknown } | null)?.id;
    const name = typeof label === 'string' ? label : `type ${i + 1}`;
    const parsed = customTypeSchema.safeParse(one);
    if (!parsed.success) {
      wrong.push(...parsed.error.issues.map((x) => `${name}: ${x.path.join('.') || 'it'}: ${x.message}`));
      return [];
    }
    try {
      return [compileCustom(parsed.data, known)];
    } catch (e) {
      wrong.push(`${name}: ${(e as Error).message}`);
      return [];
    }
  });
  return { compiled, wrong };
}

/**
 * The words of a CSV, or of a text with one a line: those of a column by its heading where one is
 * named, else of the first. Each once, in their order.
 */
export function wordsOf(text: string, column?: string): { words: string[]; columns: string[] } {
  const separator = separatorOf(text.slice(0, 1 << 16));
  const rows = separator
    ? [...tableRows(text, separator)]
    : text
        .replace(/^\uFEFF/, '')
        .split(/\r?\n/)
        .map((line) => [line]);
  const columns = separator ? rows[0]! : [];
  const at = column === undefined ? 0 : columns.indexOf(column);
  const taken = at < 0 ? [] : rows.slice(separator ? 1 : 0).map((r) => (r[at] ?? '').trim());
  return { words: [...new Set(taken.filter((w) => w && w.length <= 200))], columns };
}
