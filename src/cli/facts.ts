/** An extract with what its files hold and weigh, as conditions ask for it. */
import { itemsBelow, type Organisation } from '../core/access/organisation.ts';
import type { NamedDeed } from '../core/access/usage.ts';
import { reach, type ReachColumns } from '../core/access/reach.ts';
import { view, type View } from '../core/access/view.ts';
import { weigh } from '../core/exposure/exposure.ts';
import { findExposures } from '../core/exposure/find.ts';
import type { Getters } from '../core/filter/filter.ts';
import { itemGetters } from '../core/filter/items.ts';
import { atLeast } from '../core/recognise/types.ts';
import { dataType } from '../core/recognise/types/index.ts';
import { CliError } from './messages.ts';
import { loadOrganisation, momentGiven } from './organisation.ts';

export interface FactsOptions {
  asOf?: string;
  minCertainty: string;
}

export async function openFacts(
  dir: string,
  options: FactsOptions,
  wants: { activity?: boolean } = {},
): Promise<{
  org: Organisation;
  view: View;
  columns: ReachColumns;
  isFile: Uint8Array;
  getters: Getters<number, 'items'>;
  activity: NamedDeed[];
}> {
  const from = Number(options.minCertainty);
  if (!Number.isInteger(from) || from < 0 || from > 100)
    throw new CliError('--min-certainty takes a whole number from 0 to 100.');
  const moment = momentGiven(options.asOf);
  const { org, rows, found, activity } = await loadOrganisation(dir, { content: true, ...wants });
  const v = view(org, moment === undefined ? {} : { moment });
  const columns = reach(v);
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
    row,
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
  const isFile = Uint8Array.from({ length: org.itemIds.length }, (_, i) => (row(i).kind === 'file' ? 1 : 0));
  return { org, view: v, columns, isFile, getters, activity };
}
