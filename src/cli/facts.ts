/** An extract with what its files hold and weigh, as conditions ask for it. */
import { createHash } from 'node:crypto';
import { itemsBelow } from '../core/access/organisation.ts';
import { weigh } from '../core/exposure/exposure.ts';
import { findExposures } from '../core/exposure/find.ts';
import type { Getters } from '../core/filter/filter.ts';
import { itemGetters } from '../core/filter/items.ts';
import type { ItemRow } from '../core/model.ts';
import { Scanner } from '../core/recognise/scan.ts';
import { atLeast, type Found } from '../core/recognise/types.ts';
import { DATA_TYPES, dataType } from '../core/recognise/types/index.ts';
import { ExtractContent } from '../formats/extract-content.ts';
import { CliError } from './messages.ts';
import { openJudged, type Judged } from './organisation.ts';

export interface FactsOptions {
  asOf?: string;
  minCertainty: string;
}

/** Reads an extract with what conditions ask of it; what its files hold is scanned. */
export async function openFacts(
  dir: string,
  options: FactsOptions,
  wants: { activity?: boolean } = {},
): Promise<Judged & { getters: Getters<number, 'items'> }> {
  const from = Number(options.minCertainty);
  if (!Number.isInteger(from) || from < 0 || from > 100)
    throw new CliError('--min-certainty takes a whole number from 0 to 100.');
  const rows = new Map<string, ItemRow>();
  const content = new ExtractContent(
    () =>
      new Scanner({
        types: DATA_TYPES,
        keep: 0,
        hash: (type, value) => createHash('sha256').update(`${type}\0${value}`).digest('base64'),
      }),
  );
  const judged = await openJudged(dir, options, {
    ...wants,
    content,
    item: (item) => void rows.set(item.id, item),
  });
  const { org, view: v, columns } = judged;
  const found = new Map<string, Found[]>();
  for (const c of content.finish()) if (c.found.length) found.set(c.item, c.found);
  const S = org.spaces.length;
  const row = (i: number) => rows.get(org.itemIds.at(i))!;
  const counting = (i: number) =>
    (found.get(org.itemIds.at(i)) ?? []).flatMap((f) => {
      const type = dataType(f.dataType);
      return type && atLeast(f.levels, from).distinct ? { ...type, levels: f.levels, from } : [];
    });
  const weights = Uint8Array.from(
    { length: org.itemIds.length },
    (_, i) => weigh(counting(i), row(i).label).weight,
  );
  const below = (n: number, put: (i: number) => void): void => {
    const [a, b] = itemsBelow(org, n);
    for (let i = a; i < b; i++) put(i);
  };
  const most = (n: number, of: (i: number) => number): number => {
    let max = 0;
    below(n, (i) => (max = Math.max(max, of(i))));
    return max;
  };
  const getters = itemGetters({
    view: v,
    columns,
    items: {
      name: (i) => row(i).name,
      label: (i) => row(i).label,
      mime: (i) => row(i).mime,
      isFile: Uint8Array.from({ length: org.itemIds.length }, (_, i) => (row(i).kind === 'file' ? 1 : 0)),
    },
    weight: (n) => (n < S ? most(n, (i) => weights[i]!) : weights[n - S]!),
    exposures: findExposures(v, columns, weights),
    types: (i) => counting(i).map((t) => t.name),
    modified: (n) =>
      n < S
        ? most(n, (i) => Date.parse(row(i).modifiedAt ?? '') || 0) || NaN
        : Date.parse(row(n - S).modifiedAt ?? ''),
    sizeBytes: (n) => {
      let sum = 0;
      below(n, (i) => (sum += row(i).bytes ?? 0));
      return sum;
    },
  });
  return { ...judged, getters };
}
