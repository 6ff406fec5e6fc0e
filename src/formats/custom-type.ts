/** Custom data types as JSON (docs/recognition.md), and lists of words as CSV (RFC 4180). */
import { compileCustom, type CompiledCustom } from '../core/recognise/custom.ts';
import { customTypeSchema } from './custom-type-schema.ts';
import { separatorOf, tableRows } from './structured.ts';

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
