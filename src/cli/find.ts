/** What a condition holds of, on an extract and without a database. */
import { itemsBelow } from '../core/access/organisation.ts';
import { reach } from '../core/access/reach.ts';
import { view } from '../core/access/view.ts';
import { weigh } from '../core/exposure/exposure.ts';
import { findExposures } from '../core/exposure/find.ts';
import { checkFilter, compileFilter } from '../core/filter/filter.ts';
import { itemGetters } from '../core/filter/items.ts';
import { TIERS } from '../core/model.ts';
import { atLeast } from '../core/recognise/types.ts';
import { dataType } from '../core/recognise/types/index.ts';
import { CliError, print } from './error.ts';
import { loadOrganisation } from './organisation.ts';

/** Prints `{id, kind, name, path, weight, now, could, points}` of each space, folder and file it holds of. */
export async function find(
  dir: string,
  condition: string,
  options: { asOf?: string; minCertainty: string },
): Promise<void> {
  const from = Number(options.minCertainty);
  if (!Number.isInteger(from) || from < 0 || from > 100)
    throw new CliError('--min-certainty takes a whole number from 0 to 100.');
  const moment = options.asOf === undefined ? undefined : Date.parse(options.asOf);
  if (moment !== undefined && Number.isNaN(moment))
    throw new CliError('--as-of takes a time such as 2026-03-01T00:00:00Z (RFC 3339).');
  try {
    checkFilter(condition, 'items');
  } catch (e) {
    throw new CliError((e as Error).message);
  }
  const { org, rows, found } = await loadOrganisation(dir, { content: true });
  const v = view(org, moment === undefined ? {} : { moment });
  const columns = reach(v);
  const S = org.spaces.length;
  const row = (i: number) => rows.get(org.itemIds.at(i))!;
  const counting = (i: number) =>
    (found.get(org.itemIds.at(i)) ?? []).flatMap((f) => {
      const type = dataType(f.dataType);
      return type && atLeast(f.levels, from).distinct ? { ...type, levels: f.levels, from } : [];
    });
  const weights = Uint8Array.from({ length: org.itemIds.length }, (_, i) => weigh(counting(i), row(i).label).weight);
  const below = (n: number): [number, number] => itemsBelow(org, n);
  const most = (n: number, of: (i: number) => number): number => {
    const [a, b] = below(n);
    let max = 0;
    for (let i = a; i < b; i++) max = Math.max(max, of(i));
    return max;
  };
  const getters = itemGetters({
    view: v,
    columns,
    row,
    weight: (n) => (n < S ? most(n, (i) => weights[i]!) : weights[n - S]!),
    exposures: findExposures(v, columns, weights),
    types: (i) => counting(i).map((t) => t.name),
    modified: (n) => (n < S ? most(n, (i) => Date.parse(row(i).modifiedAt ?? '') || 0) || NaN : Date.parse(row(n - S).modifiedAt ?? '')),
    sizeBytes: (n) => {
      const [a, b] = below(n);
      let sum = 0;
      for (let i = a; i < b; i++) sum += row(i).bytes ?? 0;
      return sum;
    },
  });
  const holds = compileFilter(condition, 'items', getters, v.moment);
  for (let n = 0; n < S + org.itemIds.length; n++) {
    if (n < S && !org.spaceListed[n]) continue;
    if (!holds(n)) continue;
    await print({
      id: n < S ? org.spaces[n]!.id : org.itemIds.at(n - S),
      kind: getters.kind(n),
      name: getters.name(n),
      path: getters.path(n),
      weight: getters.weight(n),
      now: TIERS[columns.nowTier[n]!],
      could: TIERS[columns.couldTier[n]!],
      points: getters.points(n),
    });
  }
} // prettier-ignore
