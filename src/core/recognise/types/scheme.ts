/** Data types that are a spelling and a check: what most numbers are. */
import type { DataType, Reason } from '../types.ts';

export interface Scheme {
  id: string;
  name: string;
  weight: DataType['weight'];
  country?: string;
  source: string;
  /** Shapes to look out for; the spellings themselves where absent (see `Start`). */
  looks?: readonly RegExp[];
  /** Spellings, tried in order: what each is worth. Anchors and flags are added here. */
  shapes: readonly (readonly [pattern: string, points: number, why: string])[];
  /** The value without what only makes it readable; letters and digits in capitals where absent. */
  normalise?: (written: string) => string;
  /** What else speaks for it; undefined where it is none. */
  check(normalised: string, written: string): readonly Reason[] | undefined;
  context: DataType['context'];
  otherwise?: readonly string[];
  examples?: readonly string[];
  needsContext?: boolean;
  contextPoints?: number;
  /** Characters shown at the end; 3 where absent. */
  shows?: number;
  longest?: number;
  anyCase?: boolean;
}

/** One reason where a check holds, nothing where it does not. */
export const holds = (right: boolean, why: string, points: number): readonly Reason[] | undefined =>
  right ? [{ why, points }] : undefined;
export const CHECK_DIGIT = 'the check digit is right';
export const CHECK_DIGITS = 'the check digits are right';
export const NO_CHECK: readonly Reason[] = [];

/** What nearly every kind of number is mistaken for. */
const MISTAKEN = [
  'order', 'order no', 'order number', 'invoice', 'invoice no', 'invoice number', 'tracking', 'parcel', 'serial',
  'serial number', 'serial no', 'part no', 'part number', 'isbn', 'issn', 'ean', 'gtin', 'imei', 'barcode', 'sku', 'student number',
  'ticket', 'timestamp', 'unix time', 'phone', 'tel', 'telephone', 'mobile', 'fax', 'uuid', 'hash', 'sha', 'md5',
  'checksum', 'build', 'revision', 'page', 'ordrenummer', 'bestelnummer', 'tellimus', 'bestellnummer', 'rechnung', 'factura', 'commande',
]; // prettier-ignore

export function scheme(s: Scheme): DataType {
  const shows = s.shows ?? 3;
  const normalise =
    s.normalise ??
    ((written: string) =>
      /^\d+$/.test(written) ? written : written.replace(/[^A-Za-z0-9]/g, '').toUpperCase());
  return {
    id: s.id,
    name: s.name,
    weight: s.weight,
    country: s.country,
    source: s.source,
    start: { shapes: s.looks ?? true },
    longest: s.longest ?? 48,
    patterns: s.shapes.map(
      ([pattern]) => new RegExp(`(?:${pattern})(?![A-Za-z0-9])`, s.anyCase ? 'iy' : 'y'),
    ),
    judge(candidate, _, k) {
      const normalised = normalise(candidate);
      const checked = s.check(normalised, candidate);
      if (!checked) return undefined;
      const [, points, why] = s.shapes[k]!;
      return {
        normalised,
        masked: `••••${normalised.length > shows + 3 ? normalised.slice(-shows) : ''}`,
        reasons: [{ why, points }, ...checked],
      };
    },
    context: s.context,
    otherwise: (s.otherwise ?? []).concat(
      MISTAKEN.filter((w) => !Object.values(s.context).some((list) => list.includes(w))),
    ),
    examples: new Set(s.examples ?? []),
    needsContext: s.needsContext,
    contextPoints: s.contextPoints,
  };
}
