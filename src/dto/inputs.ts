/** Pieces of input that several endpoints take. */
import { z } from 'zod';
import { number, text, zone } from './forms.ts';
import { SEVERITIES } from '../core/exposure/exposure.ts';
import { MEASURES } from '../core/exposure/tab.ts';
import { DIMENSIONS, FINDING_KINDS } from './exposure.ts';
import type { Filtered } from '../core/filter/fields.ts';
import { checkFilter, LONGEST_FILTER } from '../core/filter/filter.ts';
import { plannedSchema } from './planned.ts';
import { readSorts, type Sort } from '../core/sorts.ts';

export { number, text, zone };
export const nothing = z.object({});

/** What a browser answers of a passkey (Web Authentication Level 3 §5.1); the library reads what is in it. */
const base64url = z
  .string()
  .regex(/^[\w-]*$/)
  .max(100_000);
const passkey = {
  id: base64url,
  rawId: base64url,
  type: z.literal('public-key'),
  authenticatorAttachment: z.enum(['cross-platform', 'platform']).optional(),
  clientExtensionResults: z.record(z.string().max(100), z.unknown()).transform(() => ({})),
};
export const passkeyProof = z.object({
  ...passkey,
  response: z.object({
    clientDataJSON: base64url,
    authenticatorData: base64url,
    signature: base64url,
    userHandle: base64url.optional(),
  }),
});
export const passkeyMade = z.object({
  ...passkey,
  response: z.object({
    clientDataJSON: base64url,
    attestationObject: base64url,
    transports: z.array(z.enum(['ble', 'cable', 'hybrid', 'internal', 'nfc', 'smart-card', 'usb'])).max(7),
  }),
});

/** Changes that are picked up. */
export const changes = plannedSchema.array().min(1).max(2000);

/** The survey as of which is asked; the present where absent. */
export const asOf = number.optional();
/** An app, as `SOURCE:CLIENT ID`. */
export const appKey = text(2200).regex(/^[^:]+:./);
/** A space or item, as `space:SOURCE:ID` or `item:SOURCE:ID`. */
export const node = text(1100).regex(/^(?:space|item|workspace):/, 'names a space or an item');
/** A condition in the filter language over a table's fields; refused here where it cannot be read. */
export const where = (table: Filtered) =>
  text(LONGEST_FILTER)
    .superRefine((filter, ctx) => {
      if (!filter) return;
      try {
        checkFilter(filter, table);
      } catch (e) {
        ctx.addIssue({ code: 'custom', message: (e as Error).message });
      }
    })
    .optional();
export const limit = number.max(500).default(200);
export const offset = number.default(0);
/** What rows are ordered by: see core/sorts.ts. */
export const sorts = <K extends string>(keys: readonly K[], usual: string) =>
  text(400)
    .default(usual)
    .transform((order, ctx): Sort<K>[] => {
      const read = readSorts(order, keys);
      if (read) return read;
      ctx.addIssue({
        code: 'custom',
        message: `takes ${keys.join(', ')}, each with .up or .down, with commas between`,
      });
      return z.NEVER;
    });

/** A list of names with commas between them, each once. */
const names = <T extends string>(of: readonly [T, ...T[]] | readonly T[], least: number, most: number) =>
  text(400)
    .transform((t) => [...new Set(t.split(','))])
    .pipe(
      z
        .array(z.enum(of as [T, ...T[]]))
        .min(least)
        .max(most),
    );
/** What a cross-tabulation is of. */
export const cross = z.object({
  asOf,
  by: names(DIMENSIONS, 1, 3),
  measures: names(MEASURES, 1, MEASURES.length).default(['files']),
  where: where('items'),
  ws: text(200).optional(),
  space: text(400).optional(),
});
/** The values of a cell of a cross-tabulation as a JSON array, null for the total over a dimension. */
export const cell = text(2000).transform((json, ctx) => {
  try {
    return z.array(z.string().nullable()).max(3).parse(JSON.parse(json));
  } catch {
    ctx.addIssue({ code: 'custom', message: 'must be a JSON array of values, null for a total' });
    return z.NEVER;
  }
});

/** What a list of findings is held to. */
export const findingFilter = z.object({
  kind: z.enum(FINDING_KINDS).optional(),
  state: z.enum(['open', 'accepted', 'fixed', 'all']).default('open'),
  text: text(200).optional(),
  space: text(400).optional(),
  source: text(200).optional(),
  severity: z.enum(SEVERITIES).optional(),
  where: where('findings'),
});
export const findingIds = z.array(number).min(1).max(5000);
